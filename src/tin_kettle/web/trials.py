"""Values that are found by trying them on the song, in the background: the gain that reaches a loudness, what a push
wins."""

from __future__ import annotations

from typing import Any

from flask import Blueprint, Response, jsonify
from pydantic import Field

from tin_kettle.core.recipe.extract import up_to
from tin_kettle.core.recipe.model import Recipe
from tin_kettle.core.survey.loudness_gained import pushes_db
from tin_kettle.core.survey.perceived_loudness import difference_words
from tin_kettle.core.survey.target_level import Aim
from tin_kettle.core.survey.trials import asked_stage, with_value
from tin_kettle.store.songs import current_revision
from tin_kettle.store.sources import song_sources
from tin_kettle.web.comparison_sources import find_other
from tin_kettle.web.context import context, opened_sources, passage
from tin_kettle.web.request_models import RequestModel, argument, reads, takes

blueprint = Blueprint("trials", __name__, url_prefix="/api")


class LevelRequest(RequestModel):
    """``target`` in LUFS or dBTP, as ``aim`` is."""

    aim: Aim
    target: float = Field(ge=-60, le=0)


@blueprint.post("/songs/<int:song_id>/stages/<stage_id>/aim")
@takes(LevelRequest)
@reads("from", "to")
def aim(song_id: int, stage_id: str, given: LevelRequest) -> Response:
    """The gain of a stage at which the passage measures a target: its progress, or what was found."""
    recipe = current_revision(context().library, song_id).recipe
    asked_stage(recipe, stage_id)
    span = passage(max(source.frames for source in opened_sources(song_id).values()))
    return _told(song_id, recipe, {"do": "aim", "stage": stage_id, "passage": span, **given.model_dump()})


@blueprint.get("/songs/<int:song_id>/stages/<stage_id>/won")
def won(song_id: int, stage_id: str) -> Response:
    """Loudness won for each dB of push, over the song: its progress, or the steps."""
    recipe = current_revision(context().library, song_id).recipe
    stage = asked_stage(recipe, stage_id)
    pushes = stage.declared.pushes
    # where it stands now, and what stands behind it, change nothing of what is tried
    heard = up_to(recipe, stage_id, on=True)
    if pushes is not None:
        heard = with_value(heard, stage_id, pushes, pushes_db(getattr(stage.params, pushes))[-1])
    return _told(song_id, heard, {"do": "won", "stage": stage_id})


@blueprint.get("/songs/<int:song_id>/ladder/<lane>")
@reads("from", "to")
def levels(song_id: int, lane: str) -> Response:
    """How loud a passage is between the stages of a chain, ``*master`` or a bus's: its progress, or the steps."""
    recipe = current_revision(context().library, song_id).recipe
    span = passage(max(source.frames for source in opened_sources(song_id).values()))
    return _told(song_id, recipe, {"do": "ladder", "stage": lane, "passage": span})


@blueprint.get("/songs/<int:song_id>/perceived")
@reads("from", "to", "other")
def perceived(song_id: int) -> Response:
    """How loud a passage of the song and of ``?other=`` is to the ear, and what differs: progress, or both."""
    here = context()
    recipe = current_revision(here.library, song_id).recipe
    told = []
    for name in ("now", argument("other", "received")):
        other = find_other(here.library, song_id, name, recipe)
        frames = max(source.frames for source in other.sources.values())
        span = (other.reference.start_frame, other.reference.end_frame) if other.reference else passage(frames)
        task = {"do": "perceive", "stage": name, "passage": span}
        told.append(here.trials.report(song_id, other.recipe, task, other.sources))
    after, before = told
    if not all(one["found"] for one in told):
        problem = next((one["problem"] for one in told if one["problem"]), None)
        share = sum(1.0 if one["found"] else one["progress"] for one in told) / 2
        return jsonify(state="failed" if problem else "running", progress=round(share, 3), problem=problem)
    words = difference_words(before["found"], after["found"])
    return jsonify(state="done", before=before["found"], after=after["found"], words=words)


def _told(song_id: int, recipe: Recipe, task: dict[str, Any]) -> Response:
    here = context()
    return jsonify(here.trials.report(song_id, recipe, task, song_sources(here.library, song_id)))
