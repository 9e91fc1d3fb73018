"""What a compressor works out by trying: makeup, threshold; and its starting points."""

from __future__ import annotations

from typing import Any

from flask import Blueprint, Response, jsonify

from tin_kettle.core.recipe.reading import parse_recipe
from tin_kettle.core.stages.number_text import hz
from tin_kettle.core.survey.gain_reduction import makeup_gain_db, threshold_for_work
from tin_kettle.core.survey.sidechain_or_split import two_ways
from tin_kettle.store.comparisons import try_version
from tin_kettle.store.presets import keep_start, list_starts
from tin_kettle.store.songs import current_revision
from tin_kettle.web.context import context, opened_sources, passage
from tin_kettle.web.request_models import RequestModel, reads, takes
from tin_kettle.web.versions import version_document

blueprint = Blueprint("compressing", __name__, url_prefix="/api")


class GainReductionRequest(RequestModel):
    """Two recipes: ``after`` is to work as hard as ``before`` did."""

    before: Any
    after: Any


class PresetRequest(RequestModel):
    name: str
    stage: Any


@blueprint.post("/songs/<int:song_id>/stages/<stage_id>/makeup")
@reads("from", "to")
def makeup(song_id: int, stage_id: str) -> Response:
    """What to add to a compressor's makeup for equal loudness with and without it."""
    recipe = current_revision(context().library, song_id).recipe
    sources = opened_sources(song_id)
    start, end = passage(max(source.frames for source in sources.values()))
    return jsonify(gain_db=makeup_gain_db(recipe, stage_id, sources, start, end))


@blueprint.post("/songs/<int:song_id>/stages/<stage_id>/threshold")
@takes(GainReductionRequest)
@reads("from", "to")
def same_work(song_id: int, stage_id: str, given: GainReductionRequest) -> Response:
    """The threshold at which one recipe works as hard as another did."""
    before, after = parse_recipe(given.before), parse_recipe(given.after)
    sources = opened_sources(song_id)
    span = passage(max(source.frames for source in sources.values()))
    return jsonify(threshold_db=threshold_for_work(before, after, stage_id, sources, *span))


@blueprint.post("/songs/<int:song_id>/stages/<stage_id>/ways")
@reads("from", "to")
def ways(song_id: int, stage_id: str) -> Response:
    """A compressor that does not hear the lows, one that does not touch them: both as versions, and what they do."""
    library = context().library
    recipe = current_revision(library, song_id).recipe
    sources = opened_sources(song_id)
    found = two_ways(recipe, stage_id, sources, *passage(max(source.frames for source in sources.values())))
    names = (f"Detector high-pass {hz(found.hz)}", f"Split at {hz(found.hz)}")
    made = [try_version(library, song_id, one, name) for one, name in zip(found.recipes, names, strict=True)]
    return jsonify(
        versions=[version_document(version) for version in made],
        gains_db=found.gains_db.round(2).tolist(),
        low_db=[round(change, 2) for change in found.low_db],
        says=list(found.says),
    )


@blueprint.get("/starts")
def starts() -> Response:
    return jsonify(list_starts(context().library))


@blueprint.post("/starts")
@takes(PresetRequest)
def keep_a_start(given: PresetRequest) -> Response:
    """Keep a stage as a starting point."""
    keep_start(context().library, given.name, given.stage)
    return jsonify(list_starts(context().library))
