"""``tin-kettle response``: the curve of a filter or an equalizer."""

from __future__ import annotations

import json
from pathlib import Path

import click
import numpy as np

from tin_kettle.core.errors import RecipeError
from tin_kettle.core.recipe.describe import stage_response
from tin_kettle.core.recipe.reading import check_rate, load_recipe

POINTS = 480


@click.command()
@click.option("--recipe", "recipe_path", required=True, type=click.Path(path_type=Path), help="The recipe file.")
@click.option("--stage", "stage_id", required=True, help="Id of the stage.")
@click.option("--rate", "rate_hz", type=click.IntRange(8000, 384000), default=48000, metavar="HZ", help="Rate (48000).")
@click.option("--json", "as_json", is_flag=True, help="One JSON object: hz, mid_db, side_db.")
def response(recipe_path: Path, stage_id: str, rate_hz: int, as_json: bool) -> None:
    """Print what a stage does to mid and side, by frequency."""
    recipe = load_recipe(recipe_path)
    check_rate(recipe, rate_hz)
    stage = recipe.stage(stage_id)
    if stage is None:
        known = ", ".join(stage.id for stage in recipe.stages()) or "none"
        raise RecipeError(str(recipe_path), f"there is no stage '{stage_id}'; stages: {known}")
    at_hz = np.geomspace(8.0, min(24000.0, 0.499 * rate_hz), POINTS)
    found = stage_response(stage, at_hz, rate_hz)
    if as_json:
        click.echo(json.dumps(found))
        return
    click.echo("      Hz     mid dB    side dB")
    for at, mid_db, side_db in list(zip(found["hz"], found["mid_db"], found["side_db"], strict=True))[::16]:
        click.echo(f"{at:9.1f}{mid_db:10.2f}{side_db:11.2f}")
