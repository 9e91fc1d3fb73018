"""What a survey found: over the song, of a passage, before and after."""

from __future__ import annotations

import csv
import io
from typing import Any, cast

from flask import Blueprint, Response, jsonify

from tin_kettle.core.engine.passage import render_passage
from tin_kettle.core.listen.loudness_match import match_all
from tin_kettle.core.recipe.model import Recipe
from tin_kettle.core.stages.stage import Stage
from tin_kettle.core.survey.advice import side_notes
from tin_kettle.core.survey.effort import effort_words, stage_words
from tin_kettle.core.survey.section_figures import by_section
from tin_kettle.core.survey.stage_image import images_of, told
from tin_kettle.core.survey.survey import Survey
from tin_kettle.store.songs import current_revision
from tin_kettle.web import surveys as views
from tin_kettle.web.comparison_sources import find_other
from tin_kettle.web.context import context, look, opened_sources, passage
from tin_kettle.web.jobs import Job
from tin_kettle.web.request_models import argument, arguments, reads, whole_number
from tin_kettle.web.surveys import waiting

blueprint = Blueprint("measured", __name__, url_prefix="/api")
MOST_COLUMNS = 8000


def _columns() -> int:
    return min(max(whole_number("columns", 900), 1), MOST_COLUMNS)


@blueprint.get("/songs/<int:song_id>/survey")
@reads("columns")
def survey(song_id: int) -> Response:
    """The survey of the present revision, begun where there is none: its progress, or all that a whole song shows."""
    now, received = look(song_id), look(song_id, "received")
    work = waiting(now, received)
    if work:
        return jsonify(work)
    now, received = cast(Survey, now), cast(Survey, received)
    recipe = current_revision(context().library, song_id).recipe
    found, hidden = views.findings(context().library, song_id, now, received)
    return jsonify(
        state="done",
        progress=1.0,
        measures=now.measures,
        received=received.measures,
        grid=views.grid(received),
        findings=[finding.document() for finding in found],
        dismissed=hidden,
        notes=side_notes(recipe, now),
        work={stage.id: stage_words(now, stage, recipe.sections) for stage in _dynamic(recipe)},
        sections=by_section(now, recipe),
        **views.overview(now, 0, now.frames, _columns()),
        received_wave=views.wave(received, 0, received.frames, _columns()),
    )


def _dynamic(recipe: Recipe) -> list[Stage]:
    return [stage for stage in recipe.stages() if stage.on and stage.declared.dynamic]


@blueprint.post("/songs/<int:song_id>/survey")
def again(song_id: int) -> Response:
    """Begin anew what failed, and tell how far it is."""
    context().surveys.try_again(song_id)
    return survey(song_id)


@blueprint.post("/songs/<int:song_id>/survey/stop")
def stop(song_id: int) -> Response:
    context().surveys.stop(song_id)
    return jsonify(stopped=True)


@blueprint.get("/songs/<int:song_id>/survey/columns")
@reads("from", "to", "columns")
def tile(song_id: int) -> Response:
    """The rows of the song map between two frames; null while there is no survey."""
    now, received = look(song_id), look(song_id, "received")
    if isinstance(now, Job) or isinstance(received, Job):
        return jsonify(None)
    span = passage(now.frames)
    rows = views.overview(now, *span, _columns())
    return jsonify(received_wave=views.wave(received, *span, _columns()), **rows)


@blueprint.get("/songs/<int:song_id>/survey/stages/<stage_id>")
@reads("from", "to", "columns")
def series(song_id: int, stage_id: str) -> Response:
    """A stage's levels and effort between two frames, the latter in words too, and what it did on average over the
    song; null while there is no survey."""
    now = look(song_id)
    if isinstance(now, Job) or stage_id not in now.stages:
        return jsonify(None)
    start, end = passage(now.frames)
    words = effort_words(now.effort_db(stage_id, start, end))
    curves = {name: row.astype(float).round(3).tolist() for name, row in now.curves.get(stage_id, {}).items()}
    return jsonify(rows=now.series(stage_id, start, end, _columns()), words=words, curves=curves)


def _reference_passage(song_id: int, name: str) -> tuple[int, int] | None:
    """The frames that are compared of a reference record; None where the song itself is compared."""
    library = context().library
    ref = find_other(library, song_id, name, current_revision(library, song_id).recipe).reference
    return (ref.start_frame, ref.end_frame) if ref else None


@blueprint.get("/songs/<int:song_id>/survey/match")
@reads("from", "to", "other")
def match(song_id: int) -> Response:
    """Gains for equal loudness of now and every ``?other=`` between two frames, as far as surveys know them."""
    names = ["now", *(arguments("other") or ["received"])]
    found = {name: look(song_id, name) for name in names}
    surveyed = {name: survey for name, survey in found.items() if isinstance(survey, Survey)}
    # another that cannot be surveyed is no reason to wait
    work = waiting(*(survey for survey in found.values() if isinstance(survey, Survey) or survey.state != "failed"))
    if "now" not in surveyed:
        return jsonify(work or waiting(found["now"]))
    span = passage(surveyed["now"].frames)
    # what coding adds is no version of the song: nothing is turned down to it
    lufs = {
        name: None if name.startswith("added:") else survey.lufs(*(_reference_passage(song_id, name) or span))
        for name, survey in surveyed.items()
    }
    return jsonify(
        state=work["state"] if work else "done",
        gains_db=match_all(lufs),
        integrated_lufs={name: survey.measures["integrated_lufs"] for name, survey in surveyed.items()},
    )


@blueprint.get("/songs/<int:song_id>/survey/panel")
@reads("from", "to", "other", "format")
def panel(song_id: int) -> Response:
    """Before and after of a passage: ``now`` and ``?other=``; as CSV with ``?format=csv``."""
    name = argument("other", "received")
    now, other = look(song_id), look(song_id, name)
    work = waiting(now, other)
    if work:
        return jsonify(work)
    now, other = cast(Survey, now), cast(Survey, other)
    chosen = _reference_passage(song_id, name)
    theirs = chosen or passage(other.frames)
    after, before = views.panel(now, *passage(now.frames)), views.panel(other, *theirs)
    if argument("format") == "csv":
        return _csv(before, after)
    return jsonify(state="done", before=before, after=after, spread=views.spread(other, *theirs) if chosen else None)


_CURVES = [(part, row, when, kind) for row, part in enumerate(("mid", "side")) for when in ("before", "after")
           for kind in ("average_db", "maximum_db")]  # fmt: skip


def _csv(before: dict[str, Any], after: dict[str, Any]) -> Response:
    states = {"before": before, "after": after}
    text = io.StringIO()
    rows = csv.writer(text)
    rows.writerow(["measure", "before", "after"])
    for name, value in before.items():
        if not isinstance(value, list):
            rows.writerow([name, value, after[name]])
    rows.writerow(["hz", *(f"{part} {when} {kind}" for part, _, when, kind in _CURVES)])
    for i, at in enumerate(before["hz"]):
        rows.writerow([at, *(states[when][kind][row][i] for _, row, when, kind in _CURVES)])
    answer = Response(text.getvalue(), mimetype="text/csv")
    answer.headers["Content-Disposition"] = 'attachment; filename="before-after.csv"'
    return answer


@blueprint.get("/songs/<int:song_id>/survey/effect/<stage_id>")
def effect(song_id: int, stage_id: str) -> Response:
    """What one stage changes of the song's peak, true peak and loudness where it stands, in dB and LU."""
    off, on = look(song_id, f"before:{stage_id}"), look(song_id, f"with:{stage_id}")
    work = waiting(off, on)
    if work:
        return jsonify(work)
    before, after = cast(Survey, off).measures, cast(Survey, on).measures
    names = ("sample_peak_dbfs", "true_peak_dbtp", "integrated_lufs")
    changes = {name: None if None in (before[name], after[name]) else after[name] - before[name] for name in names}
    return jsonify(state="done", **changes)


@blueprint.get("/songs/<int:song_id>/survey/sections")
def propose(song_id: int) -> Response:
    """Sections proposed from the music as received; null while there is no survey."""
    received = look(song_id, "received")
    return jsonify(None if isinstance(received, Job) else views.sections(received))


# ---- short passages, rendered while one waits


@blueprint.get("/songs/<int:song_id>/stages/<stage_id>/image")
@reads("from", "to")
def image(song_id: int, stage_id: str) -> Response:
    """The stereo image of a passage before and after a stage, and what mono loses of the song, where that is known."""
    recipe = current_revision(context().library, song_id).recipe
    sources = opened_sources(song_id)
    span = passage(max(source.frames for source in sources.values()))
    now = look(song_id)
    return jsonify(told(*images_of(recipe, stage_id, sources, *span), now if isinstance(now, Survey) else None))


@blueprint.get("/songs/<int:song_id>/scope")
@reads("from", "to")
def scope(song_id: int) -> Response:
    """The mid of a few thousand samples, before and after."""
    recipe = current_revision(context().library, song_id).recipe
    sources = opened_sources(song_id)
    start, end = passage(max(source.frames for source in sources.values()))
    before, after = render_passage(recipe, sources, start, min(end, start + MOST_COLUMNS))
    return jsonify(before=before.mean(axis=0).round(6).tolist(), after=after.mean(axis=0).round(6).tolist())
