"""Versions: name, list, forget, tell apart."""

from __future__ import annotations

from dataclasses import asdict
from typing import Any

from flask import Blueprint, Response, jsonify

from tin_kettle.core.errors import LibraryError
from tin_kettle.core.recipe.differences import differences
from tin_kettle.core.recipe.reading import dump_recipe, parse_recipe
from tin_kettle.store import comparisons as kept
from tin_kettle.store.history import is_edit
from tin_kettle.store.songs import current_revision
from tin_kettle.web.comparison_sources import find_other
from tin_kettle.web.context import context
from tin_kettle.web.request_models import Number, RequestModel, argument, reads, takes

blueprint = Blueprint("versions", __name__, url_prefix="/api")


class VersionRequest(RequestModel):
    """A name for the present state, for another ``edit`` of the song, or for a ``recipe`` beside it."""

    name: str
    edit: Number | None = None
    recipe: Any = None


def version_document(version: kept.Version) -> dict[str, Any]:
    recipe, _ = kept.version_state(context().library, version)
    return {**asdict(version), "recipe": dump_recipe(recipe)}


@blueprint.get("/songs/<int:song_id>/versions")
def versions(song_id: int) -> Response:
    return jsonify([version_document(version) for version in kept.list_versions(context().library, song_id)])


@blueprint.post("/songs/<int:song_id>/versions")
@takes(VersionRequest)
def name_version(song_id: int, given: VersionRequest) -> Response:
    """Name a state."""
    library = context().library
    name = given.name.strip()[:80]
    if not name:
        raise LibraryError("a version needs a name; type one")
    if given.recipe is not None:
        recipe = parse_recipe(given.recipe)
        return jsonify(version_document(kept.try_version(library, song_id, recipe, name)))
    here = current_revision(library, song_id).id
    edit = here if given.edit is None else given.edit
    if not is_edit(library, song_id, edit):
        raise LibraryError(f"there is no edit {edit} of this song; choose one from the list")
    return jsonify(version_document(kept.add_version(library, song_id, edit, name)))


@blueprint.delete("/versions/<int:version_id>")
def forget(version_id: int) -> Response:
    kept.remove_version(context().library, version_id)
    return jsonify(removed=True)


@blueprint.get("/songs/<int:song_id>/differences")
@reads("before", "after")
def differ(song_id: int) -> Response:
    """What changes from ``?from=`` to ``?to=``, each ``now``, ``received`` or a version."""
    library, now = context().library, current_revision(context().library, song_id).recipe
    before, after = (find_other(library, song_id, argument(name, "now"), now).recipe for name in ("before", "after"))
    return jsonify(differences(before, after))
