"""Records and songs, and where each song's recipe stands."""

from __future__ import annotations

import json
import sqlite3
from collections.abc import Iterator, Mapping, Sequence
from contextlib import suppress
from dataclasses import dataclass
from typing import Any

from tin_kettle.core.errors import Conflict, DamagedRecipe, LibraryError, RecipeError
from tin_kettle.core.recipe.model import Recipe
from tin_kettle.core.recipe.reading import check_rate, dump_recipe, parse_recipe
from tin_kettle.core.recipe.size_limits import check_size
from tin_kettle.store.database import Library, now
from tin_kettle.store.sources import StoredSource, bounced_sources, song_sources


@dataclass(frozen=True)
class SongRow:
    """A song in the list."""

    id: int
    record_id: int
    record: str
    artist: str
    place: int
    title: str


@dataclass(frozen=True)
class Revision:
    """A state of a song's recipe and of the files of its buses.

    ``undo`` and ``redo`` are what would be undone or redone, None where nothing is; ``bounces`` is the number of the
    set of files; ``saves`` is how often it was saved in place, while the hand moved on.
    """

    id: int
    saves: int
    recipe: Recipe
    bounces: int
    label: str
    made_at: str
    undo: str | None
    redo: str | None


_SONGS = (
    "SELECT songs.id, record_id, records.title AS record, records.artist, songs.place, songs.title"
    " FROM songs JOIN records ON records.id = songs.record_id"
)


def list_songs(library: Library) -> list[SongRow]:
    """Every song of records that are not deleted, record by record."""
    with library.reading() as db:
        rows = db.execute(
            _SONGS + " WHERE records.deleted_at IS NULL ORDER BY records.id, songs.place, songs.id"
        ).fetchall()
    return [SongRow(**dict(row)) for row in rows]


def get_song(library: Library, song_id: int) -> SongRow:
    """One song.

    Raises:
        LibraryError: there is none of that number.
    """
    with library.reading() as db:
        row = db.execute(_SONGS + " WHERE songs.id = ?", (song_id,)).fetchone()
    if row is None:
        raise LibraryError(f"there is no song {song_id}; choose one from the list")
    return SongRow(**dict(row))


def add_song(
    library: Library,
    record: str,
    title: str,
    sources: dict[str, StoredSource],
    recipe: Recipe,
    artist: str = "",
    place: int | None = None,
) -> int:
    """Make a song at the end of a record, which is made if it is not there; returns the song's number."""
    for source in sources.values():
        check_rate(recipe, source.rate_hz)
    with library.writing() as db:
        found = db.execute(
            "SELECT id FROM records WHERE title = ? AND artist = ? AND deleted_at IS NULL", (record, artist)
        ).fetchone()
        record_id = (
            found["id"]
            if found
            else db.execute("INSERT INTO records (title, artist) VALUES (?, ?)", (record, artist)).lastrowid
        )
        if place is None:
            place = db.execute(
                "SELECT coalesce(max(place), 0) + 1 FROM songs WHERE record_id = ?", (record_id,)
            ).fetchone()[0]
        song_id = db.execute(
            "INSERT INTO songs (record_id, place, title) VALUES (?, ?, ?)", (record_id, place, title)
        ).lastrowid
        assert song_id is not None
        bounces = _add_bounces(db, song_id, {bus_id: source.sha256 for bus_id, source in sources.items()})
        _add_revision(db, song_id, None, "as received", recipe, bounces)
    return song_id


def _add_bounces(db: sqlite3.Connection, song_id: int, hashes: dict[str, str]) -> int:
    set_id = db.execute("INSERT INTO bounce_sets (song_id) VALUES (?)", (song_id,)).lastrowid
    assert set_id is not None
    db.executemany(
        "INSERT INTO bounces (set_id, bus_id, sha256) VALUES (?, ?, ?)",
        [(set_id, bus_id, sha256) for bus_id, sha256 in hashes.items()],
    )
    return set_id


def _add_revision(
    db: sqlite3.Connection, song_id: int, parent_id: int | None, label: str, recipe: Recipe, bounces: int
) -> int:
    revision_id = _insert_revision(db, song_id, parent_id, label, recipe, bounces)
    db.execute("UPDATE songs SET revision_id = ? WHERE id = ?", (revision_id, song_id))
    return revision_id


def _insert_revision(
    db: sqlite3.Connection, song_id: int, parent_id: int | None, label: str, recipe: Recipe, bounces: int
) -> int:
    revision_id = db.execute(
        "INSERT INTO revisions (song_id, parent_id, label, recipe, made_at, set_id) VALUES (?, ?, ?, ?, ?, ?)",
        (song_id, parent_id, label, json.dumps(dump_recipe(recipe)), now(), bounces),
    ).lastrowid
    assert revision_id is not None
    return revision_id


def replace_source(library: Library, song_id: int, bus_id: str, source: StoredSource) -> Revision:
    """Put another sound file in a bus's place; the recipe stays. It is an edit, and can be undone."""
    with library.writing() as db:
        here = _current(db, song_id)
        hashes = {name: kept.sha256 for name, kept in bounced_sources(db, here.bounces).items()}
        if hashes[bus_id] != source.sha256:
            bounces = _add_bounces(db, song_id, {**hashes, bus_id: source.sha256})
            named = {bus.id: bus.name or bus.id for bus in here.recipe.buses}
            _add_revision(db, song_id, here.id, f"New bounce of {named[bus_id]}", here.recipe, bounces)
        return _current(db, song_id)


def current_revision(library: Library, song_id: int) -> Revision:
    """Where the song stands."""
    with library.reading() as db:
        return _current(db, song_id)


def _current(db: sqlite3.Connection, song_id: int) -> Revision:
    row = db.execute(
        "SELECT revisions.id, saves, parent_id, label, recipe, made_at, set_id FROM revisions"
        " JOIN songs ON songs.revision_id = revisions.id WHERE songs.id = ?",
        (song_id,),
    ).fetchone()
    if row is None:
        raise LibraryError(f"there is no song {song_id}; choose one from the list")
    child = _newest_child(db, row["id"])
    return Revision(
        row["id"],
        row["saves"],
        _read_recipe(row),
        row["set_id"],
        row["label"],
        row["made_at"],
        undo=row["label"] if row["parent_id"] is not None else None,
        redo=child["label"] if child else None,
    )


def _read_recipe(row: sqlite3.Row) -> Recipe:
    """The recipe of a row of revisions.

    Raises:
        DamagedRecipe: it is no recipe any more.
    """
    try:
        return parse_recipe(json.loads(row["recipe"]))
    except (ValueError, RecipeError) as problem:
        raise DamagedRecipe(
            f"state {row['id']} of this song is damaged ({problem}); stop the server and run tin-kettle library check "
            "--repair, which goes back to its newest state that can be read"
        ) from None


def readable_songs(library: Library) -> Iterator[tuple[SongRow, Revision]]:
    """Every song of records that are not deleted, as it stands; those whose state is damaged are left out."""
    for song in list_songs(library):
        with suppress(DamagedRecipe):
            yield song, current_revision(library, song.id)


def mend_song(library: Library, song_id: int) -> bool:
    """Go back to the newest state of a song that can be read; False where there is none."""
    with library.writing() as db:
        rows = db.execute("SELECT id, recipe FROM revisions WHERE song_id = ? ORDER BY id DESC", (song_id,)).fetchall()
        for row in rows:
            with suppress(DamagedRecipe):
                _read_recipe(row)
                db.execute("UPDATE songs SET revision_id = ? WHERE id = ?", (row["id"], song_id))
                return True
    return False


def _newest_child(db: sqlite3.Connection, revision_id: int) -> sqlite3.Row | None:
    row: sqlite3.Row | None = db.execute(
        "SELECT id, label FROM revisions WHERE parent_id = ? ORDER BY id DESC LIMIT 1", (revision_id,)
    ).fetchone()
    return row


def save_revision(
    library: Library,
    song_id: int,
    base_id: int,
    label: str,
    document: Any,
    save_id: str | None = None,
    unanswered: Sequence[str] = (),
    base_saves: int = 0,
) -> Revision:
    """Keep an edit made on revision ``base_id`` as it was after ``base_saves`` saves in place.

    Args:
        save_id: one movement of the hand: saved again under the same name, it takes the place of what it was, so that
            a movement that lasts is kept while it lasts and is one edit all the same.
        unanswered: names of saves of which the bench has not heard what became of them; they are no other window's.

    Raises:
        RecipeError: the recipe is refused, or does not go with the song's sources.
        LibraryError: the song stands at another revision by now.
    """
    recipe = parse_recipe(document)
    sources = song_sources(library, song_id)
    _check_buses(recipe, sources)
    with library.writing() as db:
        before = _current(db, song_id)
        if before.recipe == recipe:
            # also where a save came through and its answer did not: asked again, it is answered again
            return before
        made_by = db.execute("SELECT save_id FROM revisions WHERE id = ?", (before.id,)).fetchone()["save_id"]
        own = made_by is not None and made_by in (save_id, *unanswered)
        if (before.id, before.saves) != (base_id, base_saves) and not own:
            raise Conflict("this song was edited in another window since; reload to go on from there")
        if made_by is not None and made_by == save_id and not _is_named(db, before.id):
            db.execute(
                "UPDATE revisions SET label = ?, recipe = ?, made_at = ?, saves = saves + 1 WHERE id = ?",
                (label, json.dumps(dump_recipe(recipe)), now(), before.id),
            )
        else:
            made = _add_revision(db, song_id, before.id, label, recipe, before.bounces)
            db.execute("UPDATE revisions SET save_id = ? WHERE id = ?", (save_id, made))
        return _current(db, song_id)


def _check_buses(recipe: Recipe, sources: Mapping[str, StoredSource]) -> None:
    if {bus.id for bus in recipe.buses} != set(sources):
        raise RecipeError("$.buses", f"the song has the buses {', '.join(sources)}; keep exactly these")
    for source in sources.values():
        check_rate(recipe, source.rate_hz)


def _is_named(db: sqlite3.Connection, revision_id: int) -> bool:
    """Whether a version or a print stands for exactly this state."""
    row = db.execute(
        "SELECT EXISTS (SELECT 1 FROM versions WHERE revision_id = :id)"
        " OR EXISTS (SELECT 1 FROM prints WHERE revision_id = :id) AS named",
        {"id": revision_id},
    ).fetchone()
    return bool(row["named"])


def step_revision(library: Library, song_id: int, back: bool) -> Revision:
    """Undo or redo: move to the parent, or to the child made last. Stays where it is at either end."""
    with library.writing() as db:
        here = _current(db, song_id)
        if back:
            target = db.execute("SELECT parent_id AS id FROM revisions WHERE id = ?", (here.id,)).fetchone()
        else:
            target = _newest_child(db, here.id)
        if target is not None and target["id"] is not None:
            db.execute("UPDATE songs SET revision_id = ? WHERE id = ?", (target["id"], song_id))
        return _current(db, song_id)


def go_back_to(library: Library, song_id: int, revision_id: int, label: str) -> Revision:
    """Do again what a revision was, recipe and files, on top of where the song stands."""
    with library.writing() as db:
        row = db.execute(
            "SELECT id, recipe, set_id FROM revisions WHERE id = ? AND song_id = ?", (revision_id, song_id)
        ).fetchone()
        if row is None:
            raise LibraryError(f"there is no revision {revision_id} of this song; reload it")
        recipe = _read_recipe(row)
        _add_revision(db, song_id, _current(db, song_id).id, label, recipe, row["set_id"])
        return _current(db, song_id)


def add_beside(library: Library, song_id: int, recipe: Recipe, label: str) -> int:
    """Keep a recipe beside the song's present revision, where the song stays; returns the revision's number.

    Raises:
        RecipeError: it does not go with the song's buses or their rate.
    """
    _check_buses(recipe, song_sources(library, song_id))
    # without a parent: redo goes to the child made last, and what was only tried must not come before what was done
    with library.writing() as db:
        return _insert_revision(db, song_id, None, label, recipe, _current(db, song_id).bounces)


def revision_state(library: Library, revision_id: int) -> tuple[Recipe, dict[str, StoredSource]]:
    """The recipe of any revision, and bus id → source.

    Raises:
        LibraryError: there is none of that number.
    """
    with library.reading() as db:
        row = db.execute("SELECT id, recipe, set_id FROM revisions WHERE id = ?", (revision_id,)).fetchone()
        if row is None:
            raise LibraryError(f"there is no revision {revision_id}; reload the song")
        return _read_recipe(row), bounced_sources(db, row["set_id"])


def get_view(library: Library, song_id: int) -> dict[str, Any]:
    """How the bench was left: chosen stage, loop, playhead, what is compared; nothing where that can be of no bench."""
    with library.reading() as db:
        row = db.execute("SELECT view FROM songs WHERE id = ?", (song_id,)).fetchone()
    view = json.loads(row["view"]) if row else {}
    try:
        check_size(view)
    except RecipeError:
        return {}
    return dict(view)


def set_view(library: Library, song_id: int, view: dict[str, Any]) -> None:
    """Keep how the bench is left. It is no edit and cannot be undone."""
    with library.writing() as db:
        db.execute("UPDATE songs SET view = ? WHERE id = ?", (json.dumps(view), song_id))
