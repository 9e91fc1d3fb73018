"""Notes on a song: the engineer's own, and which of those found for the mix are ticked off."""

from __future__ import annotations

from dataclasses import dataclass

from tin_kettle.core.errors import LibraryError
from tin_kettle.store.database import Library, now

MOST_CHARACTERS = 2000


@dataclass(frozen=True)
class Note:
    """A note; ``at_s`` is None where it is on the song as a whole."""

    id: int
    at_s: float | None
    text: str
    done: bool


def list_notes(library: Library, song_id: int) -> list[Note]:
    """A song's notes: on the whole first, then in the order of the song."""
    with library.reading() as db:
        rows = db.execute(
            "SELECT id, at_s, text, done FROM notes WHERE song_id = ? ORDER BY at_s IS NOT NULL, at_s, id", (song_id,)
        ).fetchall()
    return [Note(row["id"], row["at_s"], row["text"], bool(row["done"])) for row in rows]


def add_note(library: Library, song_id: int, at_s: float | None, text: str) -> None:
    """Keep a note.

    Raises:
        LibraryError: it says nothing or too much, or there is no such song.
    """
    said = _checked(text)
    with library.writing() as db:
        db.execute("INSERT INTO notes (song_id, at_s, text, made_at) VALUES (?, ?, ?, ?)", (song_id, at_s, said, now()))


def change_note(library: Library, song_id: int, note_id: int, text: str, done: bool) -> None:
    """Say it otherwise, or tick it off.

    Raises:
        LibraryError: as :func:`add_note`, or there is no such note.
    """
    with library.writing() as db:
        changed = db.execute(
            "UPDATE notes SET text = ?, done = ? WHERE id = ? AND song_id = ?",
            (_checked(text), int(done), note_id, song_id),
        ).rowcount
    if not changed:
        raise LibraryError(f"there is no note {note_id} on this song; reload it")


def remove_note(library: Library, song_id: int, note_id: int) -> None:
    """Throw a note away."""
    with library.writing() as db:
        db.execute("DELETE FROM notes WHERE id = ? AND song_id = ?", (note_id, song_id))


def _checked(text: str) -> str:
    said = text.strip()
    if not said or len(said) > MOST_CHARACTERS:
        raise LibraryError(f"a note of {len(said)} characters; 1 to {MOST_CHARACTERS} are allowed")
    return said


def ticked(library: Library, song_id: int) -> set[str]:
    """Ids of the findings that are ticked off."""
    with library.reading() as db:
        rows = db.execute("SELECT finding_id FROM ticked_findings WHERE song_id = ?", (song_id,)).fetchall()
    return {row["finding_id"] for row in rows}


def tick(library: Library, song_id: int, finding_id: str, done: bool) -> None:
    """Tick a finding off, or no longer."""
    statement = (
        "INSERT INTO ticked_findings (song_id, finding_id) VALUES (?, ?) ON CONFLICT DO NOTHING"
        if done
        else "DELETE FROM ticked_findings WHERE song_id = ? AND finding_id = ?"
    )
    with library.writing() as db:
        db.execute(statement, (song_id, finding_id))
