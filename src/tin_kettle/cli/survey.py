"""``tin-kettle survey``: a whole song through its recipe, as figures."""

from __future__ import annotations

import json
from contextlib import ExitStack
from pathlib import Path

import click

from tin_kettle.cli.progress import shown_progress
from tin_kettle.cli.render import bus_files, open_buses
from tin_kettle.core.errors import RecipeError
from tin_kettle.core.recipe.model import Recipe
from tin_kettle.core.recipe.reading import load_recipe, save_recipe
from tin_kettle.core.survey.effort import stage_words
from tin_kettle.core.survey.finding import Finding
from tin_kettle.core.survey.findings import find, with_fix
from tin_kettle.core.survey.report import report
from tin_kettle.core.survey.survey import Survey, survey_song

POINTS_PER_S = 10


@click.command()
@click.argument("source", metavar="[FILE]", required=False, type=click.Path(path_type=Path))
@click.option("--bus", "buses", multiple=True, metavar="ID=FILE", help="A bus and its file, once for each bus.")
@click.option("--recipe", "recipe_path", required=True, type=click.Path(path_type=Path), help="The recipe file.")
@click.option("--json", "as_json", is_flag=True, help="One JSON object: effort of every stage, measures, findings.")
@click.option("--apply", "finding_id", metavar="ID", help="Write the recipe with the fix of a finding; needs --out.")
@click.option("--out", type=click.Path(path_type=Path), help="Where the recipe with the fix goes.")
def survey(
    source: Path | None,
    buses: tuple[str, ...],
    recipe_path: Path,
    as_json: bool,
    finding_id: str | None,
    out: Path | None,
) -> None:
    """Say what a recipe does to a whole song, and what to look at."""
    if (finding_id is None) != (out is None):
        raise click.UsageError("--apply ID and --out R2.kettle.json go together; give both")
    recipe = load_recipe(recipe_path)
    with ExitStack() as stack:
        sources = open_buses(bus_files(recipe, source, buses), stack)
        progress = stack.enter_context(shown_progress("Surveying"))
        now = survey_song(recipe, sources, progress)
        received = survey_song(recipe.as_received(), sources, progress)
    if finding_id is not None and out is not None:
        _apply(recipe, find(now, received, recipe), finding_id, out)
    if as_json:
        click.echo(json.dumps(report(recipe, now, received)))
        return
    _tell(recipe, now, received)
    for finding in find(now, received, recipe):
        at = "     —" if finding.at_s is None else f"{finding.at_s:6.1f}"
        click.echo(f"  {at} s  {finding.says}" + (f" Try: {finding.fix}." if finding.fix else ""))


def _apply(recipe: Recipe, found: list[Finding], finding_id: str, out: Path) -> None:
    chosen = next((one for one in found if one.id == finding_id), None)
    if chosen is None or chosen.fix is None:
        with_fixes = ", ".join(one.id for one in found if one.fix is not None) or "none here"
        problem = "there is no such finding" if chosen is None else "it has no fix"
        raise RecipeError(finding_id, f"{problem}; findings with a fix: {with_fixes}")
    save_recipe(out, with_fix(recipe, chosen))
    click.echo(f"{out} is written: {chosen.fix}", err=True)


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
