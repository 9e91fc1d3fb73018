"""Check a library: its database, its sounds by their hashes, what is drawn of them, and what was delivered."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from tin_kettle.core.digest import sha256_of
from tin_kettle.core.errors import AudioError, DamagedRecipe
from tin_kettle.store.database import Library
from tin_kettle.store.deliveries import delivery_path, get_delivery
from tin_kettle.store.songs import current_revision, list_songs, mend_song
from tin_kettle.store.sources import StoredSource, draw_waveform, list_sources, read_waveform, source_path


@dataclass(frozen=True)
class Fault:
    """Something of a library that is lost or damaged.

    Args:
        what: the fault in words.
        remedy: what mends it.
        mended: whether it was mended just now.
    """

    what: str
    remedy: str
    mended: bool = False


def check_library(library: Library, repair: bool = False) -> Iterator[Fault]:
    """Everything that is lost or damaged, one after the other; ``repair`` makes again what can be made again."""
    yield from _database_faults(library)
    for source in list_sources(library):
        sound = _sound_fault(library, source)
        if sound:
            yield sound
        elif read_waveform(library, source.sha256) is None:
            if repair:
                draw_waveform(library, source)
            yield Fault(f"the waveform of {source.name} is damaged", "it is drawn again when it is needed", repair)
    yield from _song_faults(library, repair)
    yield from _delivery_faults(library)


def _database_faults(library: Library) -> Iterator[Fault]:
    with library.reading() as db:
        found = [str(row[0]) for row in db.execute("PRAGMA integrity_check(20)").fetchall()]
        found += [f"a row of {row[0]} belongs to nothing" for row in db.execute("PRAGMA foreign_key_check").fetchall()]
    for words in found:
        if words != "ok":
            yield Fault(f"the database is damaged: {words}", f"tin-kettle restore --home {library.home}")


def _sound_fault(library: Library, source: StoredSource) -> Fault | None:
    path = source_path(library, source)
    remedy = f"bring {source.name} again: the file takes the place of the library's own"
    if not path.is_file():
        return Fault(f"{source.name} is missing ({path.name[:12]}…)", remedy)
    try:
        intact = sha256_of(path) == source.sha256
    except OSError as problem:
        raise AudioError(f"{path} cannot be read ({problem.strerror}); check the disk") from problem
    return None if intact else Fault(f"{source.name} is damaged ({path.name[:12]}…)", remedy)


def _song_faults(library: Library, repair: bool) -> Iterator[Fault]:
    for song in list_songs(library):
        try:
            current_revision(library, song.id)
        except DamagedRecipe:
            remedy = "--repair goes back to its newest state that can be read"
            yield Fault(f"the state of '{song.title}' is damaged", remedy, repair and mend_song(library, song.id))


def _delivery_faults(library: Library) -> Iterator[Fault]:
    with library.reading() as db:
        ids = [int(row["id"]) for row in db.execute("SELECT id FROM deliveries ORDER BY id").fetchall()]
    for row in (get_delivery(library, number) for number in ids):
        path = delivery_path(library, row)
        if row.sha256 and path.is_file() and sha256_of(path) != row.sha256:
            yield Fault(f"{row.file_name}, delivered by {row.spec}, is damaged", "deliver it again")
