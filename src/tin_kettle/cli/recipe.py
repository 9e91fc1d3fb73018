"""``tin-kettle recipe``: recipes without audio: read and checked, or begun."""

from __future__ import annotations

from pathlib import Path

import click

from tin_kettle.core.engine.source import HIGHEST_RATE_HZ, LOWEST_RATE_HZ
from tin_kettle.core.recipe.reading import check_rate, load_recipe, save_recipe
from tin_kettle.core.recipe.templates import preset_recipe, presets


@click.group()
def recipe() -> None:
    """Check a recipe, or begin one."""


@recipe.command()
@click.argument("path", metavar="RECIPE", type=click.Path(path_type=Path))
@click.option(
    "--rate", "rate_hz", type=click.IntRange(LOWEST_RATE_HZ, HIGHEST_RATE_HZ), metavar="HZ", help="A rate to go with."
)
def check(path: Path, rate_hz: int | None) -> None:
    """Read a recipe without audio; exit 2 and one line where it is refused."""
    found = load_recipe(path)
    if rate_hz is not None:
        check_rate(found, rate_hz)
    click.echo(f"{path} is a recipe of {sum(1 for _ in found.stages())} stages", err=True)


@recipe.command()
@click.argument("preset", required=False)
@click.option("--out", type=click.Path(path_type=Path), help="The recipe file to write.")
@click.option("--list", "listed", is_flag=True, help="List the presets.")
def new(preset: str | None, out: Path | None, listed: bool) -> None:
    """Write the usual order with neutral values, or a preset by name."""
    if listed:
        for name, purpose in presets().items():
            click.echo(f"{name:<22}{purpose}")
        return
    if out is None:
        raise click.UsageError("no file to write; give --out R.kettle.json, or --list for the presets")
    save_recipe(out, preset_recipe(preset))
    click.echo(f"{out} is written", err=True)
