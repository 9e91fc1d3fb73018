"""Recipes that the user keeps by name, as files in a folder of the library that anybody may copy."""

from __future__ import annotations

import json
import re
from pathlib import Path
from urllib.parse import quote, unquote

from tin_kettle.core.atomic_files import written_beside
from tin_kettle.core.errors import LibraryError, RecipeError
from tin_kettle.core.recipe.model import Recipe
from tin_kettle.core.recipe.reading import dump_recipe, load_recipe
from tin_kettle.store.database import Library

_ENDING = ".kettle.json"
LONGEST_NAME = 60


def recipe_files(library: Library, folder: str) -> dict[str, Recipe]:
    """Name → recipe, in the order of the alphabet; files that are no recipes are left alone."""
    found = {}
    for path in sorted(library.folder(folder).glob("*" + _ENDING)):
        try:
            found[unquote(path.name.removesuffix(_ENDING))] = load_recipe(path)
        except RecipeError:
            continue  # not one of ours any more
    return dict(sorted(found.items(), key=lambda one: one[0].casefold()))


def keep_recipe_file(library: Library, folder: str, name: str, recipe: Recipe) -> None:
    """Write a recipe under a name; what had that name before is replaced.

    Raises:
        LibraryError: the name cannot be a file's.
    """
    path = _path(library, folder, name)
    with written_beside(path) as beside:
        beside.write_text(json.dumps(dump_recipe(recipe), indent=2, ensure_ascii=False), encoding="utf-8")


def remove_recipe_file(library: Library, folder: str, name: str) -> None:
    """Delete what was kept under a name, if there is something."""
    _path(library, folder, name).unlink(missing_ok=True)


def _path(library: Library, folder: str, name: str) -> Path:
    """The file of a name: what a disk may not take is written as in an address, so that no two names share a file."""
    plain = name.strip()
    if not re.search(r"\w", plain) or len(plain) > LONGEST_NAME:
        raise LibraryError(f"'{plain}' is no name; 1 to {LONGEST_NAME} characters with a letter or figure are allowed")
    there = library.folder(folder)
    # files that somebody put there are found as well
    found = (path for path in there.glob("*" + _ENDING) if unquote(path.name.removesuffix(_ENDING)) == plain)
    escaped = re.sub(r"[^\w \-]", lambda one: quote(one[0], safe=""), plain)
    return next(found, there / (escaped.replace(".", "%2E") + _ENDING))
