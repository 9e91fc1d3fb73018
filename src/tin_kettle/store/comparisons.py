"""What songs are compared with: versions, reference records, blind tests; and the findings that were dismissed."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from tin_kettle.core.errors import LibraryError
from tin_kettle.core.recipe.model import Recipe
from tin_kettle.store.database import Library, now
from tin_kettle.store.songs import add_beside, revision_state
from tin_kettle.store.sources import StoredSource, find_source


@dataclass(frozen=True)
class Version:
    """A named state of a song."""

    id: int
    song_id: int
    revision_id: int
    name: str
    made_at: str


@dataclass(frozen=True)
class Reference:
    """A finished record, and the passage that is compared (frames of its file)."""

    id: int
    name: str
    source: StoredSource
    start_frame: int
    end_frame: int


def list_versions(library: Library, song_id: int) -> list[Version]:
    """A song's versions, oldest first."""
    with library.reading() as db:
        rows = db.execute(
            "SELECT id, song_id, revision_id, name, made_at FROM versions WHERE song_id = ? ORDER BY id", (song_id,)
        ).fetchall()
    return [Version(**dict(row)) for row in rows]


def get_version(library: Library, version_id: int) -> Version:
    """One version.

    Raises:
        LibraryError: there is none of that number.
    """
    with library.reading() as db:
        row = db.execute(
            "SELECT id, song_id, revision_id, name, made_at FROM versions WHERE id = ?", (version_id,)
        ).fetchone()
    if row is None:
        raise LibraryError(f"there is no version {version_id}; choose one from the list")
    return Version(**dict(row))


def version_state(library: Library, version: Version) -> tuple[Recipe, dict[str, StoredSource]]:
    """The recipe of a version, and bus id → source as it was then."""
    return revision_state(library, version.revision_id)


def add_version(library: Library, song_id: int, revision_id: int, name: str) -> Version:
    """Name a revision."""
    with library.writing() as db:
        version_id = db.execute(
            "INSERT INTO versions (song_id, revision_id, name, made_at) VALUES (?, ?, ?, ?)",
            (song_id, revision_id, name, now()),
        ).lastrowid
    assert version_id is not None
    return get_version(library, version_id)


def try_version(library: Library, song_id: int, recipe: Recipe, name: str) -> Version:
    """Keep a recipe as a version beside the song's present state, which stays as it is."""
    return add_version(library, song_id, add_beside(library, song_id, recipe, name), name)


def remove_version(library: Library, version_id: int) -> None:
    """Forget a version's name; its revision stays."""
    with library.writing() as db:
        db.execute("DELETE FROM versions WHERE id = ?", (version_id,))


def list_references(library: Library) -> list[Reference]:
    """Every reference record."""
    with library.reading() as db:
        rows = db.execute(
            "SELECT id, sha256, name, start_frame, end_frame FROM reference_records ORDER BY id"
        ).fetchall()
    return [_reference(library, dict(row)) for row in rows]


def _reference(library: Library, row: dict[str, Any]) -> Reference:
    source = find_source(library, row["sha256"])
    assert source is not None  # a foreign key
    return Reference(row["id"], row["name"], source, row["start_frame"], row["end_frame"])


def get_reference(library: Library, reference_id: int) -> Reference:
    """One reference record.

    Raises:
        LibraryError: there is none of that number.
    """
    found = next((ref for ref in list_references(library) if ref.id == reference_id), None)
    if found is None:
        raise LibraryError(f"there is no reference {reference_id}; choose one from the list")
    return found


def add_reference(library: Library, source: StoredSource, name: str) -> Reference:
    """Take a source as a reference, all of it as its passage; one that is there stays as it is."""
    with library.writing() as db:
        db.execute(
            "INSERT OR IGNORE INTO reference_records (sha256, name, start_frame, end_frame) VALUES (?, ?, 0, ?)",
            (source.sha256, name, source.frames),
        )
    return next(ref for ref in list_references(library) if ref.source.sha256 == source.sha256)


def set_passage(library: Library, reference_id: int, start_frame: int, end_frame: int) -> None:
    """Choose the passage of a reference.

    Raises:
        LibraryError: it is not inside the file, or shorter than a tenth of a second.
    """
    source = get_reference(library, reference_id).source
    if not 0 <= start_frame < end_frame <= source.frames or end_frame - start_frame < source.rate_hz // 10:
        start_s, end_s, whole_s = (frame / source.rate_hz for frame in (start_frame, end_frame, source.frames))
        raise LibraryError(
            f"{start_s:.1f} to {end_s:.1f} s is no passage; give times from 0 to {whole_s:.1f} s, a tenth of a second "
            "or more apart"
        )
    with library.writing() as db:
        db.execute(
            "UPDATE reference_records SET start_frame = ?, end_frame = ? WHERE id = ?",
            (start_frame, end_frame, reference_id),
        )


def remove_reference(library: Library, reference_id: int) -> None:
    """Take a record off the list; its file stays in the library."""
    with library.writing() as db:
        db.execute("DELETE FROM reference_records WHERE id = ?", (reference_id,))


def dismissed(library: Library, song_id: int) -> set[str]:
    """Ids of a song's findings that are not to be shown."""
    with library.reading() as db:
        rows = db.execute("SELECT finding_id FROM dismissed_findings WHERE song_id = ?", (song_id,)).fetchall()
    return {row["finding_id"] for row in rows}


def dismiss(library: Library, song_id: int, finding_id: str) -> None:
    """Do not show a finding again."""
    with library.writing() as db:
        db.execute(
            "INSERT OR IGNORE INTO dismissed_findings (song_id, finding_id) VALUES (?, ?)", (song_id, finding_id)
        )


def recall(library: Library, song_id: int) -> None:
    """Show all findings of a song again."""
    with library.writing() as db:
        db.execute("DELETE FROM dismissed_findings WHERE song_id = ?", (song_id,))


def add_blind_test(library: Library, song_id: int, test: dict[str, Any]) -> None:
    """Keep the result of a blind test: kind, first, second, rounds, hits, says."""
    with library.writing() as db:
        db.execute(
            "INSERT INTO blind_tests (song_id, kind, first, second, rounds, hits, says, made_at)"
            " VALUES (:song_id, :kind, :first, :second, :rounds, :hits, :says, :made_at)",
            {**test, "song_id": song_id, "made_at": now()},
        )


def list_blind_tests(library: Library, song_id: int) -> list[dict[str, Any]]:
    """A song's blind tests, newest first."""
    with library.reading() as db:
        rows = db.execute(
            "SELECT kind, first, second, rounds, hits, says, made_at FROM blind_tests WHERE song_id = ?"
            " ORDER BY id DESC",
            (song_id,),
        ).fetchall()
    return [dict(row) for row in rows]
