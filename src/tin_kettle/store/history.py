"""Everything that was done to a song, and how it comes back."""

from __future__ import annotations

import json
from dataclasses import dataclass

from tin_kettle.core.errors import LibraryError
from tin_kettle.core.recipe.model import Recipe
from tin_kettle.core.recipe.reading import dump_recipe
from tin_kettle.store.database import Library
from tin_kettle.store.songs import Revision, current_revision, go_back_to

MOST_LISTED = 200


@dataclass(frozen=True)
class Edit:
    """One edit of a song: what was done, when, and what its state is called where it has a name."""

    id: int
    label: str
    made_at: str
    version: str | None


def list_edits(library: Library, song_id: int, before: int | None = None) -> list[Edit]:
    """A song's edits, the newest first, at most 200; older ones than ``before`` where it is given.

    What was only tried beside the song, as a version, is not among them.
    """
    with library.reading() as db:
        rows = db.execute(
            "SELECT id, label, made_at,"
            " (SELECT name FROM versions WHERE revision_id = revisions.id ORDER BY id DESC LIMIT 1) AS version"
            " FROM revisions WHERE song_id = :song AND (:before IS NULL OR id < :before)"
            " AND (parent_id IS NOT NULL OR id = (SELECT min(id) FROM revisions WHERE song_id = :song))"
            " ORDER BY id DESC LIMIT :most",
            {"song": song_id, "before": before, "most": MOST_LISTED},
        ).fetchall()
    return [Edit(**dict(row)) for row in rows]


def is_edit(library: Library, song_id: int, revision_id: int) -> bool:
    """Whether the song was ever in that state."""
    return any(edit.id == revision_id for edit in list_edits(library, song_id, revision_id + 1)[:1])


def was_kept(library: Library, song_id: int, recipe: Recipe) -> bool:
    """Whether the song, or a version of it, was ever exactly this."""
    with library.reading() as db:
        found = db.execute(
            "SELECT EXISTS (SELECT 1 FROM revisions WHERE song_id = ? AND recipe = ?)",
            (song_id, json.dumps(dump_recipe(recipe))),
        ).fetchone()
    return bool(found[0])


def return_to(library: Library, song_id: int, revision_id: int) -> Revision:
    """Make an earlier state the present one: an edit of its own, so that nothing is lost and undo takes it back.

    Raises:
        LibraryError: the song was never in that state.
    """
    if not is_edit(library, song_id, revision_id):
        raise LibraryError(f"there is no edit {revision_id} of this song; choose one from the list")
    if current_revision(library, song_id).id == revision_id:
        return current_revision(library, song_id)
    return go_back_to(
        library, song_id, revision_id, "Back to: " + list_edits(library, song_id, revision_id + 1)[0].label
    )
