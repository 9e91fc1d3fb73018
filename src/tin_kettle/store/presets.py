"""The user's own starting points: recipe files of one stage."""

from __future__ import annotations

from typing import Any

from tin_kettle.core.recipe.reading import parse_recipe
from tin_kettle.core.stages import KINDS
from tin_kettle.core.stages.presets import STARTS
from tin_kettle.store.database import Library
from tin_kettle.store.recipe_files import keep_recipe_file, recipe_files

FOLDER = "starts"


def list_starts(library: Library) -> list[dict[str, Any]]:
    """All starting points: ``kind``, ``name``, ``title``, ``says``, ``params``; the user's own last."""
    kinds = {kind.params: kind.name for kind in KINDS.values()}
    listed: list[dict[str, Any]] = [
        {
            "kind": kinds[type(start.params)],
            "name": start.name,
            "title": start.title,
            "says": start.says,
            "params": start.params.model_dump(mode="json"),
        }
        for start in STARTS
    ]
    for title, recipe in recipe_files(library, FOLDER).items():
        for stage in recipe.master[:1]:
            says, params = stage.declared.summary(stage.params), stage.params.model_dump(mode="json")
            listed.append({"kind": stage.kind, "name": title, "title": title, "says": says, "params": params})
    return listed


def keep_start(library: Library, name: str, stage: Any) -> None:
    """Write a stage as a starting point.

    Raises:
        LibraryError: the name cannot be a file's.
        RecipeError: the stage is refused.
    """
    if isinstance(stage, dict) and isinstance(stage.get("params"), dict) and "key" in stage["params"]:
        # another song has other buses
        stage = {**stage, "params": {**stage["params"], "key": None}}
    recipe = parse_recipe({"format": "tin-kettle-recipe", "version": 1, "master": [stage]})
    keep_recipe_file(library, FOLDER, name, recipe)
