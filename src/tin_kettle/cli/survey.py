"""``tin-kettle survey``: a whole song through its recipe, as figures."""

from __future__ import annotations

import json
from contextlib import ExitStack
from pathlib import Path
from typing import Any

import click
import numpy as np

from tin_kettle.cli.progress import shown_progress
from tin_kettle.cli.render import bus_files, open_buses
from tin_kettle.core.engine.graph.reading import METER_HOP
from tin_kettle.core.recipe.model import Recipe
from tin_kettle.core.recipe.reading import load_recipe
from tin_kettle.core.stages.stage import Stage
from tin_kettle.core.survey.effort import stage_words
from tin_kettle.core.survey.findings import find
from tin_kettle.core.survey.panel import describe_passage
from tin_kettle.core.survey.survey import Survey, columns, survey_song

POINTS_PER_S = 10


@click.command()
@click.argument("source", metavar="[FILE]", required=False, type=click.Path(path_type=Path))
@click.option("--bus", "buses", multiple=True, metavar="ID=FILE", help="A bus and its file, once for each bus.")
@click.option("--recipe", "recipe_path", required=True, type=click.Path(path_type=Path), help="The recipe file.")
@click.option("--json", "as_json", is_flag=True, help="One JSON object: effort of every stage, measures, findings.")
def survey(source: Path | None, buses: tuple[str, ...], recipe_path: Path, as_json: bool) -> None:
    """Say what a recipe does to a whole song, and what to look at."""
    recipe = load_recipe(recipe_path)
    with ExitStack() as stack:
        sources = open_buses(bus_files(recipe, source, buses), stack)
        progress = stack.enter_context(shown_progress("Surveying"))
        now = survey_song(recipe, sources, progress)
        received = survey_song(recipe.as_received(), sources, progress)
    found = find(now, received, recipe)
    if as_json:
        told = {
            "before": {**received.measures, **_figures(received)},
            "after": {**now.measures, **_figures(now)},
            "stages": {stage.id: _effort(now, stage, recipe) for stage in recipe.stages()},
            "findings": [finding.document() for finding in found],
        }
        click.echo(json.dumps(told))
        return
    _tell(recipe, now, received)
    for finding in found:
        at = "     —" if finding.at_s is None else f"{finding.at_s:6.1f}"
        click.echo(f"  {at} s  {finding.says}" + (f" Try: {finding.fix}." if finding.fix else ""))


def _figures(found: Survey) -> dict[str, Any]:
    passage = describe_passage(found, 0, found.frames)
    return {name: passage[name] for name in ("low_correlation", "ranges", "hz", "average_db", "maximum_db")}


def _effort(found: Survey, stage: Stage, recipe: Recipe) -> dict[str, Any]:
    count = max(1, round(found.seconds * POINTS_PER_S))
    effort = found.effort_db(stage.id, 0, found.frames)
    hardest_db, at_s = found.hardest(stage.id)
    return {
        "effort_db": columns(effort, METER_HOP, 0, found.frames, count, np.minimum).round(2).tolist(),
        "points_per_s": POINTS_PER_S,
        "mean_db": round(float(np.mean(effort)), 3),
        "hardest_db": round(hardest_db, 3),
        "hardest_at_s": round(at_s, 3),
        "says": stage_words(found, stage, recipe.sections),
    }


def _tell(recipe: Recipe, now: Survey, received: Survey) -> None:
    for label, key, unit in (
        ("loudness", "integrated_lufs", "LUFS"),
        ("loudness range", "loudness_range_lu", "LU"),
        ("true peak", "true_peak_dbtp", "dBTP"),
        ("mono loses", "mono_loss_lu", "LU"),
    ):
        was, became = (found.measures[key] for found in (received, now))
        shown = ["—" if value is None else f"{value:.2f}" for value in (was, became)]
        click.echo(f"  {label:<16}{shown[0]:>9} → {shown[1]:>7} {unit}")
    for stage in recipe.stages():
        if stage.declared.dynamic and stage.on:
            says = stage_words(now, stage, recipe.sections)
            click.echo(f"  {stage.declared.title} '{stage.id}': {says}, at {now.hardest(stage.id)[1]:.1f} s")
