"""Chains to begin with: the usual order, and those that the user keeps as recipe files."""

from __future__ import annotations

from typing import Any

from flask import Blueprint, Response, jsonify

from tin_kettle.core.recipe.model import Recipe
from tin_kettle.core.recipe.reading import dump_recipe, parse_recipe
from tin_kettle.core.recipe.templates import usual_order
from tin_kettle.store.recipe_files import keep_recipe_file, recipe_files, remove_recipe_file
from tin_kettle.web.context import context
from tin_kettle.web.request_models import RequestModel, takes

blueprint = Blueprint("chains", __name__, url_prefix="/api")
FOLDER = "chains"


class ChainRequest(RequestModel):
    name: str
    recipe: Any


def _document(name: str, recipe: Recipe, own: bool) -> dict[str, Any]:
    says = ", ".join(stage.declared.title.lower() for stage in recipe.stages())
    return {"name": name, "says": says, "recipe": dump_recipe(recipe), "own": own}


@blueprint.get("/chains")
def chains() -> Response:
    """``name``, ``says``, ``recipe`` of each; ``own`` where the user kept it."""
    usual = _document("The usual order", usual_order(), own=False)
    kept = recipe_files(context().library, FOLDER).items()
    return jsonify([usual, *(_document(name, recipe, own=True) for name, recipe in kept)])


@blueprint.post("/chains")
@takes(ChainRequest)
def keep(given: ChainRequest) -> Response:
    """Keep a chain."""
    keep_recipe_file(context().library, FOLDER, given.name, parse_recipe(given.recipe))
    return chains()


@blueprint.delete("/chains/<path:name>")
def remove(name: str) -> Response:
    remove_recipe_file(context().library, FOLDER, name)
    return chains()
