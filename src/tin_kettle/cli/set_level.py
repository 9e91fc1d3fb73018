"""``tin-kettle set-level``: the gain at which a whole song measures a loudness."""

from __future__ import annotations

import json
from contextlib import ExitStack
from pathlib import Path

import click

from tin_kettle.cli.progress import shown_progress
from tin_kettle.cli.render import bus_files, open_buses
from tin_kettle.core.recipe.reading import load_recipe, save_recipe
from tin_kettle.core.survey.song_level import set_song_level

NOT_REACHED = 1


@click.command("set-level")
@click.argument("source", metavar="[FILE]", required=False, type=click.Path(path_type=Path))
@click.option("--bus", "buses", multiple=True, metavar="ID=FILE", help="A bus and its file, once for each bus.")
@click.option("--recipe", "recipe_path", required=True, type=click.Path(path_type=Path), help="The recipe file.")
@click.option("--lufs", required=True, type=click.FloatRange(-60, 0), help="Integrated loudness of the whole song.")
@click.option("--out", required=True, type=click.Path(path_type=Path), help="The recipe with the gain set.")
@click.option("--json", "as_json", is_flag=True, help="One JSON object: stage, gain_db, lufs, true_peak_dbtp, reached.")
def set_level(
    source: Path | None, buses: tuple[str, ...], recipe_path: Path, lufs: float, out: Path, as_json: bool
) -> int:
    """Set the gain at which the whole song measures a loudness; exit 1 where it cannot be reached."""
    recipe = load_recipe(recipe_path)
    with ExitStack() as stack:
        sources = open_buses(bus_files(recipe, source, buses), stack)
        progress = stack.enter_context(shown_progress("Setting the level"))
        found = set_song_level(recipe, sources, lufs, progress)
    save_recipe(out, found.recipe)
    if as_json:
        click.echo(json.dumps(found.document()))
    else:
        nearest = "" if found.reached else f", the nearest to {lufs:g} LUFS"
        click.echo(
            f"{found.stage}: gain {found.gain_db:+.2f} dB, {found.lufs:.2f} LUFS{nearest}, "
            f"{found.true_peak_dbtp:.2f} dBTP".replace("-", "−")
        )
    return 0 if found.reached else NOT_REACHED
