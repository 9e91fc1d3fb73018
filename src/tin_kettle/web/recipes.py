"""Stages and recipes described: controls, words, curves. All of it is computed in the core."""

from __future__ import annotations

from typing import Annotated, Any, Literal

import numpy as np
from flask import Blueprint, Response, jsonify
from pydantic import Field

from tin_kettle.core.engine.source import HIGHEST_RATE_HZ, LOWEST_RATE_HZ
from tin_kettle.core.errors import KettleError
from tin_kettle.core.listen.speakers import PLACES, place_curve_db
from tin_kettle.core.recipe.automation_recording import Recording, with_takes
from tin_kettle.core.recipe.describe import describe_kinds, describe_recipe, describe_shared, describe_split
from tin_kettle.core.recipe.held_values import MOST_TOUCHES, HeldValue, with_touches
from tin_kettle.core.recipe.reading import dump_recipe, parse_recipe
from tin_kettle.core.recipe.schema import recipe_schema
from tin_kettle.core.stages.solo_sound import bring_out
from tin_kettle.core.survey.beats import tapped_grid
from tin_kettle.web.request_models import RequestModel, document, reads, takes, takes_document, whole_number

blueprint = Blueprint("recipes", __name__, url_prefix="/api")
MOST_TAKE_BYTES = 16 << 20


@blueprint.get("/stages")
def stages() -> Response:
    """Every kind of stage and its controls; what splits may be."""
    return jsonify(kinds=describe_kinds(), shared=describe_shared(), split=describe_split())


@blueprint.get("/places")
def places() -> Response:
    """Where one may listen: name, sentence, curve."""
    at_hz = np.geomspace(20.0, 20000.0, 60)
    listed = [
        {"name": p.name, "title": p.title, "says": p.says, "curve_db": place_curve_db(p.name, at_hz, 48000).tolist()}
        for p in PLACES.values()
    ]
    return jsonify(hz=at_hz.tolist(), places=listed)


@blueprint.get("/recipe.schema.json")
def schema() -> Response:
    return jsonify(recipe_schema())


class RangeRequest(RequestModel):
    low_hz: float = Field(ge=20, le=20000)
    high_hz: float = Field(ge=20, le=20000)


@blueprint.post("/bring-out")
@takes(RangeRequest)
def brought_out(given: RangeRequest) -> Response:
    """A chain that brings out the hits between two frequencies."""
    if given.high_hz <= given.low_hz:
        raise KettleError(f"high_hz={given.high_hz:g} is not above low_hz={given.low_hz:g}; let the range have a width")
    return jsonify(dump_recipe(parse_recipe(bring_out(given.low_hz, given.high_hz))))


class RecordingsRequest(RequestModel):
    recipe: Any
    takes: list[Recording] = Field(min_length=1, max_length=MOST_TOUCHES)


@blueprint.post("/takes")
@takes(RecordingsRequest, MOST_TAKE_BYTES)
def taken(given: RecordingsRequest) -> Response:
    """A recipe with what a hand did while the song played written into its rides."""
    return jsonify(dump_recipe(with_takes(parse_recipe(given.recipe), given.takes)))


class TapsRequest(RequestModel):
    taps_s: list[Annotated[float, Field(ge=0, le=1e6)]] = Field(min_length=4, max_length=1000)
    bar: Literal[3, 4]


@blueprint.post("/grid")
@takes(TapsRequest)
def tapped(given: TapsRequest) -> Response:
    """Tempo and bars from beats that were tapped along."""
    return jsonify(tapped_grid(given.taps_s, given.bar).document())


class HeldValuesRequest(RequestModel):
    recipe: Any
    touches: list[HeldValue] = Field(min_length=1, max_length=MOST_TOUCHES)


@blueprint.post("/touches")
@takes(HeldValuesRequest)
def touched(given: HeldValuesRequest) -> Response:
    """A recipe with values in place of their rides, or rides shifted as far as a hand moved."""
    return jsonify(dump_recipe(with_touches(parse_recipe(given.recipe), given.touches)))


@blueprint.post("/describe")
@reads("rate")
@takes_document
def describe() -> Response:
    """Summaries and pictures of a recipe's stages at ``?rate=``."""
    rate_hz = whole_number("rate", 48000)
    if not LOWEST_RATE_HZ <= rate_hz <= HIGHEST_RATE_HZ:
        raise KettleError(f"rate={rate_hz} Hz is not allowed; {LOWEST_RATE_HZ} to {HIGHEST_RATE_HZ} Hz are")
    return jsonify(describe_recipe(parse_recipe(document()), rate_hz))
