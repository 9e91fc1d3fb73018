"""Records: which songs in which order, how they are laid out; every edit kept, undone and redone."""

from __future__ import annotations

import json
import sqlite3
from dataclasses import dataclass
from typing import Any

from pydantic import Field

from tin_kettle.core.errors import AudioError, Conflict, LibraryError, RecordError
from tin_kettle.core.recipe.reading import read_as
from tin_kettle.core.record.document import RecordHead, SongLayout, Text
from tin_kettle.core.record.layout import kept_part
from tin_kettle.store.covers import cover_path
from tin_kettle.store.database import Library, now


class StoredSong(SongLayout):
    """A song of a record: its number, its title, how it lies there."""

    id: int
    title: Text = Field(min_length=1)


class RecordState(RecordHead):
    """What an edit of a record changes: its names and numbers, its songs in order.

    Args:
        cover: the hash of its picture.
    """

    cover: str | None = Field(default=None, pattern=r"^[0-9a-f]{64}$")
    songs: tuple[StoredSong, ...] = Field(strict=False)


@dataclass(frozen=True)
class RecordRow:
    """A record in the list; ``songs`` is how many it has."""

    id: int
    title: str
    artist: str
    songs: int
    archived: bool
    deleted: bool


@dataclass(frozen=True)
class RecordNow:
    """A record as it stands; ``undo`` and ``redo`` are what would be undone or redone, None where nothing is."""

    id: int
    edit: int
    state: RecordState
    archived: bool
    undo: str | None
    redo: str | None


def list_records(library: Library) -> list[RecordRow]:
    """Every record, those that were deleted among them: they can be brought back."""
    with library.reading() as db:
        rows = db.execute(
            "SELECT records.id, records.title, artist, count(songs.id) AS songs, archived,"
            " deleted_at IS NOT NULL AS deleted"
            " FROM records LEFT JOIN songs ON songs.record_id = records.id GROUP BY records.id ORDER BY records.id"
        ).fetchall()
    return [
        RecordRow(**{**dict(row), "archived": bool(row["archived"]), "deleted": bool(row["deleted"])}) for row in rows
    ]


def add_record(library: Library, title: str, artist: str = "") -> int:
    """A record without songs; returns its number.

    Raises:
        RecordError: it cannot be called so.
    """
    head = read_as(RecordHead, {"title": title, "artist": artist}, RecordError)
    with library.writing() as db:
        made = db.execute("INSERT INTO records (title, artist) VALUES (?, ?)", (head.title, head.artist)).lastrowid
    assert made is not None
    return made


def get_record(library: Library, record_id: int) -> RecordNow:
    """A record as it stands.

    Raises:
        LibraryError: there is none of that number.
    """
    with library.reading() as db:
        return _now(db, record_id)


def _now(db: sqlite3.Connection, record_id: int) -> RecordNow:
    row = db.execute(
        "SELECT records.title, artist, date, upc, cover, archived, edit_id, record_edits.label, record_edits.parent_id"
        " FROM records LEFT JOIN record_edits ON record_edits.id = records.edit_id WHERE records.id = ?",
        (record_id,),
    ).fetchone()
    if row is None:
        raise LibraryError(f"there is no record {record_id}; choose one from the list")
    songs = db.execute(
        "SELECT id, title, laid FROM songs WHERE record_id = ? ORDER BY place, id", (record_id,)
    ).fetchall()
    state = RecordState(
        title=row["title"],
        artist=row["artist"],
        date=row["date"],
        upc=row["upc"],
        cover=row["cover"],
        songs=tuple(StoredSong(id=song["id"], title=song["title"], **json.loads(song["laid"])) for song in songs),
    )
    child = _newest_child(db, row["edit_id"])
    return RecordNow(
        record_id,
        row["edit_id"] or 0,
        state,
        bool(row["archived"]),
        undo=row["label"] if row["parent_id"] is not None else None,
        redo=child["label"] if child else None,
    )


def _newest_child(db: sqlite3.Connection, edit_id: int | None) -> sqlite3.Row | None:
    row: sqlite3.Row | None = db.execute(
        "SELECT id, label, state FROM record_edits WHERE parent_id = ? ORDER BY id DESC LIMIT 1", (edit_id,)
    ).fetchone()
    return row


def change_record(library: Library, record_id: int, base: int, label: str, document: Any) -> RecordNow:
    """Make a state the present one, as an edit of the one that it was made on.

    Raises:
        RecordError: the state is refused, or holds other songs than the record does.
        Conflict: the record was edited elsewhere since.
    """
    state = read_as(RecordState, document, RecordError)
    with library.writing() as db:
        before = _now(db, record_id)
        if before.state == state:
            return before
        if before.edit != base:
            raise Conflict("this record was edited in another window since; reload to go on from there")
        if state.cover is not None and not cover_path(library, state.cover).is_file():
            raise RecordError("$.cover", "this picture is not in the library; choose the file again")
        if sorted(song.id for song in state.songs) != sorted(song.id for song in before.state.songs):
            raise RecordError("$.songs", "these are not the record's songs; bring, move or remove songs by themselves")
        _check_trims(db, state)
        parent = before.edit or _keep_edit(db, record_id, None, "as it was", before.state)
        _keep_edit(db, record_id, parent, label, state)
        _apply(db, record_id, state)
        return _now(db, record_id)


def _check_trims(db: sqlite3.Connection, state: RecordState) -> None:
    """Refuse a song of which nothing is left."""
    for i, song in enumerate(state.songs):
        seconds = db.execute(
            "SELECT max(sources.frames * 1.0 / sources.rate_hz) FROM songs"
            " JOIN revisions ON revisions.id = songs.revision_id"
            " JOIN bounces ON bounces.set_id = revisions.set_id"
            " JOIN sources ON sources.sha256 = bounces.sha256 WHERE songs.id = ?",
            (song.id,),
        ).fetchone()[0]
        try:
            kept_part(song, seconds)
        except AudioError as refused:
            raise RecordError(f"$.songs[{i}].start_s", f"'{song.title}': {refused}") from None


def _keep_edit(db: sqlite3.Connection, record_id: int, parent: int | None, label: str, state: RecordState) -> int:
    made = db.execute(
        "INSERT INTO record_edits (record_id, parent_id, label, state, made_at) VALUES (?, ?, ?, ?, ?)",
        (record_id, parent, label, json.dumps(state.model_dump(mode="json")), now()),
    ).lastrowid
    assert made is not None
    db.execute("UPDATE records SET edit_id = ? WHERE id = ?", (made, record_id))
    return made


def _apply(db: sqlite3.Connection, record_id: int, state: RecordState) -> None:
    """Write a state into the columns; songs that came since stay behind those that it names."""
    db.execute(
        "UPDATE records SET title = ?, artist = ?, date = ?, upc = ?, cover = ? WHERE id = ?",
        (state.title, state.artist, state.date, state.upc, state.cover, record_id),
    )
    known = {song.id for song in state.songs}
    there = db.execute("SELECT id FROM songs WHERE record_id = ? ORDER BY place, id", (record_id,)).fetchall()
    late = [row["id"] for row in there if row["id"] not in known]
    for place, song in enumerate(state.songs, 1):
        db.execute(
            "UPDATE songs SET place = ?, title = ?, laid = ? WHERE id = ? AND record_id = ?",
            (place, song.title, json.dumps(song.model_dump(mode="json", exclude={"id", "title"})), song.id, record_id),
        )
    for place, song_id in enumerate(late, len(state.songs) + 1):
        db.execute("UPDATE songs SET place = ? WHERE id = ?", (place, song_id))


def step_record(library: Library, record_id: int, back: bool) -> RecordNow:
    """Undo or redo; stays where it is at either end."""
    with library.writing() as db:
        here = _now(db, record_id)
        if back:
            target = db.execute(
                "SELECT parents.id, parents.state FROM record_edits"
                " JOIN record_edits AS parents ON parents.id = record_edits.parent_id WHERE record_edits.id = ?",
                (here.edit,),
            ).fetchone()
        else:
            target = _newest_child(db, here.edit)
        if target is not None:
            db.execute("UPDATE records SET edit_id = ? WHERE id = ?", (target["id"], record_id))
            _apply(db, record_id, RecordState.model_validate(json.loads(target["state"])))
        return _now(db, record_id)


def move_song(library: Library, song_id: int, record_id: int) -> None:
    """Put a song at the end of another record; its level, trims and code stay with it.

    Raises:
        LibraryError: there is no such song or record.
    """
    with library.writing() as db:
        _now(db, record_id)
        moved = db.execute(
            "UPDATE songs SET record_id = :record,"
            " place = (SELECT coalesce(max(place), 0) + 1 FROM songs WHERE record_id = :record) WHERE id = :song",
            {"record": record_id, "song": song_id},
        ).rowcount
        if not moved:
            raise LibraryError(f"there is no song {song_id}; choose one from the list")


def archive_record(library: Library, record_id: int, archived: bool) -> None:
    """Put a record away, or take it out again."""
    with library.writing() as db:
        _now(db, record_id)
        db.execute("UPDATE records SET archived = ? WHERE id = ?", (int(archived), record_id))


def delete_record(library: Library, record_id: int, deleted: bool) -> None:
    """Take a record out of the list with its songs, or bring it back; nothing of it is lost."""
    with library.writing() as db:
        _now(db, record_id)
        db.execute("UPDATE records SET deleted_at = ? WHERE id = ?", (now() if deleted else None, record_id))
