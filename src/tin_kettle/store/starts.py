"""The user's own starting points: recipe files of one stage in a folder of the library."""

from __future__ import annotations

import json
import re
from typing import Any

from tin_kettle.core.errors import LibraryError, RecipeError
from tin_kettle.core.recipe.reading import dump_recipe, load_recipe, parse_recipe
from tin_kettle.core.stages.starts import STARTS
from tin_kettle.store.database import Library

_ENDING = ".kettle.json"


def list_starts(library: Library) -> list[dict[str, Any]]:
    """All starting points: ``name``, ``title``, ``says``, ``params``; the user's own last."""
    listed: list[dict[str, Any]] = [
        {"name": s.name, "title": s.title, "says": s.says, "params": s.params.model_dump(mode="json")} for s in STARTS
    ]
    for path in sorted(library.folder("starts").glob("*" + _ENDING)):
        try:
            stage = load_recipe(path).master[0]
        except (RecipeError, IndexError):
            continue  # not one of ours any more
        title = path.name.removesuffix(_ENDING)
        summary = stage.declared.summary(stage.params)
        listed.append({"name": title, "title": title, "says": summary, "params": stage.params.model_dump(mode="json")})
    return listed


def keep_start(library: Library, name: str, stage: Any) -> None:
    """Write a stage as a starting point.

    Raises:
        LibraryError: the name cannot be a file's.
        RecipeError: the stage is refused.
    """
    plain = re.sub(r"[^\w \-]+", "", name).strip()[:60]
    if not plain:
        raise LibraryError(f"'{name}' is no name; use letters and figures")
    if isinstance(stage, dict) and isinstance(stage.get("params"), dict):
        # another song has other buses
        stage = {**stage, "params": {**stage["params"], "key": None}}
    recipe = parse_recipe({"format": "tin-kettle-recipe", "version": 1, "master": [stage]})
    path = library.folder("starts") / (plain + _ENDING)
    beside = path.with_suffix(".part")
    beside.write_text(json.dumps(dump_recipe(recipe), indent=2, ensure_ascii=False), encoding="utf-8")
    beside.replace(path)
