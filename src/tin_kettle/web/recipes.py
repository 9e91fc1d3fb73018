"""Stages and recipes described: controls, words, curves. All of it is computed in the core."""

from __future__ import annotations

import numpy as np
from flask import Blueprint, Response, jsonify

from tin_kettle.core.engine.source import HIGHEST_RATE_HZ, LOWEST_RATE_HZ
from tin_kettle.core.errors import KettleError
from tin_kettle.core.listen.places import PLACES, place_curve_db
from tin_kettle.core.recipe.describe import describe_branch, describe_kinds, describe_recipe, describe_split
from tin_kettle.core.recipe.reading import parse_recipe
from tin_kettle.core.recipe.schema import recipe_schema
from tin_kettle.web.asked import document, whole_number

blueprint = Blueprint("recipes", __name__, url_prefix="/api")


@blueprint.get("/stages")
def stages() -> Response:
    """Every kind of stage and its controls; what splits may be."""
    return jsonify(kinds=describe_kinds(), branch=describe_branch(), split=describe_split())


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


@blueprint.post("/describe")
def describe() -> Response:
    """Summaries and pictures of a recipe's stages at ``?rate=``."""
    rate_hz = whole_number("rate", 48000)
    if not LOWEST_RATE_HZ <= rate_hz <= HIGHEST_RATE_HZ:
        raise KettleError(f"rate={rate_hz} Hz is not allowed; {LOWEST_RATE_HZ} to {HIGHEST_RATE_HZ} Hz are")
    return jsonify(describe_recipe(parse_recipe(document()), rate_hz))
