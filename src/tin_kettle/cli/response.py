"""``tin-kettle response``: the curve of a filter or an equalizer."""

from __future__ import annotations

import json
from pathlib import Path

import click

from tin_kettle import library


@click.command()
@click.option("--recipe", "recipe_path", required=True, type=click.Path(path_type=Path), help="The recipe file.")
@click.option("--stage", "stage_id", required=True, help="Id of the stage.")
@click.option("--rate", "rate_hz", type=click.IntRange(8000, 384000), default=48000, metavar="HZ", help="Rate (48000).")
@click.option("--json", "as_json", is_flag=True, help="One JSON object: hz, mid_db, side_db.")
def response(recipe_path: Path, stage_id: str, rate_hz: int, as_json: bool) -> None:
    """Print what a stage does to mid and side, by frequency."""
    found = library.response(recipe_path, stage_id, rate_hz)
    if as_json:
        click.echo(json.dumps(found))
        return
    click.echo("      Hz     mid dB    side dB")
    for at, mid_db, side_db in list(zip(found["hz"], found["mid_db"], found["side_db"], strict=True))[::16]:
        click.echo(f"{at:9.1f}{mid_db:10.2f}{side_db:11.2f}")
