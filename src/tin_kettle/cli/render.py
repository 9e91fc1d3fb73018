"""``tin-kettle render``: a recipe and its sources into a file."""

from __future__ import annotations

import json
from contextlib import ExitStack
from pathlib import Path
from typing import Any

import click

from tin_kettle.cli.param_types import Seconds, Tail
from tin_kettle.cli.progress import shown_progress
from tin_kettle.core.deliver.formats import USUAL_KBIT_S
from tin_kettle.core.deliver.printing import PrintSettings, print_song
from tin_kettle.core.deliver.spec import tail_seconds
from tin_kettle.core.engine.graph.stage_instance import Tap
from tin_kettle.core.engine.parallel import BLOCK_FRAMES
from tin_kettle.core.engine.source import HIGHEST_RATE_HZ, LOWEST_RATE_HZ, FileSource
from tin_kettle.core.errors import AudioError
from tin_kettle.core.recipe.model import Recipe
from tin_kettle.core.recipe.reading import load_recipe


@click.command()
@click.argument("source", metavar="[IN.wav]", required=False, type=click.Path(path_type=Path))
@click.option("--recipe", "recipe_path", required=True, type=click.Path(path_type=Path), help="The recipe file.")
@click.option("--out", required=True, type=click.Path(path_type=Path), help="The print: .wav, .flac or .aiff.")
@click.option("--bus", "buses", multiple=True, metavar="ID=FILE", help="A bus and its file, once for each bus.")
@click.option("--bits", type=click.Choice(["16", "24", "32f"]), default="24", help="Depth (24).")
@click.option(
    "--rate",
    "rate_hz",
    type=click.IntRange(LOWEST_RATE_HZ, HIGHEST_RATE_HZ),
    metavar="HZ",
    help="Rate of the print (the source's).",
)
@click.option("--dither", type=click.Choice(["none", "tpdf", "shaped"]), help="tpdf for 16 and 24 bits.")
@click.option("--seed", type=click.IntRange(0, 2**20 - 1), default=0, help="Seed of the dither (0).")
@click.option("--band-limit", is_flag=True, help="Take out what lies above 20.6 kHz.")
@click.option("--tail", type=Tail(600), default="none", metavar="S|auto", help="Room for decay, in seconds (none).")
@click.option("--from", "from_s", type=Seconds(), metavar="S", help="Start of the slice.")
@click.option("--to", "to_s", type=Seconds(), metavar="S", help="End of the slice.")
@click.option("--block", "block_frames", type=click.IntRange(1, 1 << 20), default=BLOCK_FRAMES, help="Frames a step.")
@click.option("--kbit-s", type=click.IntRange(32, 512), default=USUAL_KBIT_S, help="Of .ogg, .opus and .mp3 (256).")
@click.option(
    "--listen", metavar="STAGE:difference|detector", help="Print a stage's difference, or what its detector hears."
)
@click.option("--json", "as_json", is_flag=True, help="Measurements of the print as one JSON object.")
def render(
    source: Path | None,
    recipe_path: Path,
    out: Path,
    buses: tuple[str, ...],
    bits: str,
    rate_hz: int | None,
    dither: str | None,
    seed: int,
    band_limit: bool,
    tail: Any,
    from_s: float | None,
    to_s: float | None,
    block_frames: int,
    kbit_s: int,
    listen: str | None,
    as_json: bool,
) -> None:
    """Print a song through a recipe."""
    recipe = load_recipe(recipe_path)
    settings = PrintSettings(
        bits=bits,  # type: ignore[arg-type]
        rate_hz=rate_hz,
        dither=dither,  # type: ignore[arg-type]
        seed=seed,
        band_limit=band_limit,
        tail_s=tail_seconds(tail),
        from_s=from_s,
        to_s=to_s,
        block_frames=block_frames,
        kbit_s=kbit_s,
        listen=None if listen is None else _listened(listen),
    )
    with ExitStack() as stack:
        files = bus_files(recipe, source, buses)
        sources = open_buses(files, stack)
        for path in files.values():
            _refuse_overwriting(path, out)
        progress = stack.enter_context(shown_progress(f"Printing {out.name}"))
        printed = print_song(recipe, sources, out, settings, progress)
    if printed.clipped:
        click.echo(
            f"{printed.clipped} samples ran over full scale and were clipped; "
            "a limiter at the end or a print at 32f keeps them",
            err=True,
        )
    if as_json:
        click.echo(json.dumps({"file": str(out), "clipped_in_print": printed.clipped, **printed.measures}))
    else:
        click.echo(f"{out} is printed", err=True)


LISTEN: dict[str, Tap] = {"difference": "removed", "detector": "detector"}


def _listened(text: str) -> tuple[str, Tap]:
    stage_id, _, what = text.rpartition(":")
    if not stage_id or what not in LISTEN:
        raise click.UsageError(f"--listen '{text}' is not of the form STAGE:difference or STAGE:detector")
    return stage_id, LISTEN[what]


def open_buses(files: dict[str, Path], stack: ExitStack) -> dict[str, FileSource]:
    """Open every bus's file until the stack ends; say what became of mono and shorter ones if nothing was refused."""
    sources: dict[str, FileSource] = {}

    def say(refused: type[BaseException] | None, *_more: object) -> None:
        if refused is None:
            _say_padding(sources)

    stack.push(say)
    for bus_id, path in files.items():
        sources[bus_id] = FileSource(path)
        stack.callback(sources[bus_id].close)
    return sources


def bus_files(recipe: Recipe, source: Path | None, buses: tuple[str, ...]) -> dict[str, Path]:
    """Bus id → file, from the command line's words."""
    files: dict[str, Path] = {}
    for entry in buses:
        bus_id, equals, name = entry.partition("=")
        if not equals or not name:
            raise click.UsageError(f"--bus '{entry}' is not of the form ID=FILE")
        if bus_id in files:
            raise click.UsageError(f"--bus {bus_id} is given twice; give each bus one file")
        if bus_id not in (known := [bus.id for bus in recipe.buses]):
            raise click.UsageError(f"--bus {bus_id}: the recipe has no such bus; it has {', '.join(known)}")
        files[bus_id] = Path(name)
    if source is None and not files:
        raise click.UsageError("no source; give IN.wav, or --bus ID=FILE for each bus")
    if source is not None:
        if files:
            raise click.UsageError("give either IN.wav or --bus ID=FILE, not both")
        if len(recipe.buses) > 1:
            listed = ", ".join(bus.id for bus in recipe.buses)
            raise click.UsageError(f"the recipe has several buses; give --bus ID=FILE for each of {listed}")
        files[recipe.buses[0].id] = source
    return files


def _refuse_overwriting(source: Path, out: Path) -> None:
    if out.exists() and source.resolve() == out.resolve():
        raise AudioError(f"{out} is the source itself; print to another name")


def _say_padding(sources: dict[str, FileSource]) -> None:
    longest = max(source.frames for source in sources.values())
    for bus_id, source in sources.items():
        if source.channels == 1:
            click.echo(f"bus '{bus_id}' is mono and becomes two equal channels", err=True)
        if source.frames < longest:
            missing_s = (longest - source.frames) / source.rate_hz
            click.echo(f"bus '{bus_id}' is {missing_s:.3f} s shorter and is padded with silence at its end", err=True)
