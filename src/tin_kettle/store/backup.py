"""Copies of the database, one a day: the last seven are kept, and any of them can be put back."""

from __future__ import annotations

import sqlite3
from contextlib import closing
from datetime import UTC, datetime
from pathlib import Path

from tin_kettle.core.beside import written_beside
from tin_kettle.core.errors import LibraryError
from tin_kettle.store.database import DATABASE, Library

KEPT = 7


def back_up(library: Library, day: str | None = None) -> Path:
    """Copy the database while it is in use, once for each day (ISO date, UTC; today's where none is given)."""
    folder = library.folder("backups")
    path = folder / f"{day or datetime.now(UTC).date().isoformat()}.sqlite"
    if not path.exists():
        with written_beside(path) as beside, library.reading() as db, closing(sqlite3.connect(beside)) as copy:
            db.backup(copy)
    for old in sorted(folder.glob("*.sqlite"))[:-KEPT]:
        old.unlink()
    return path


def restore(home: Path, day: str | None = None) -> str:
    """Put a day's copy in the database's place, the newest where none is given; returns the day.

    The damaged database stays beside it, as ``library.sqlite.damaged``.

    Raises:
        LibraryError: there is no copy, or none of that day.
    """
    kept = {path.stem: path for path in sorted((home / "backups").glob("*.sqlite"))}
    if not kept:
        raise LibraryError(f"{home} holds no copy of its database; nothing to restore")
    chosen = day or max(kept)
    if chosen not in kept:
        raise LibraryError(f"there is no copy of {chosen}; there are: {', '.join(kept)}")
    database = home / DATABASE
    with written_beside(database) as beside:
        beside.write_bytes(kept[chosen].read_bytes())
        if database.exists():
            database.replace(home / (DATABASE + ".damaged"))
        for log in ("-wal", "-shm"):
            (home / (DATABASE + log)).unlink(missing_ok=True)
    return chosen
