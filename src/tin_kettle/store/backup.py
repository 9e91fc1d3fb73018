"""Copies of the database, one for each hour of work, and putting one back."""

from __future__ import annotations

import re
import sqlite3
from collections.abc import Iterable
from contextlib import closing
from datetime import UTC, datetime
from pathlib import Path

from tin_kettle.core.atomic_files import written_beside
from tin_kettle.core.errors import LibraryError
from tin_kettle.store.database import DATABASE, Library, database_files

HOURS, DAYS, WEEKS = 24, 14, 8
"""Kept are the newest copies of so many hours, days and weeks in which there are any."""
_NAME = re.compile(r"\d{4}-\d{2}-\d{2}(T\d{2})?")
"""A day and an hour, UTC; copies of older libraries have a day alone."""


def back_up(library: Library, now: datetime | None = None) -> Path | None:
    """Copy the database while it is in use, once an hour; nothing where nothing was written since the last copy.

    Raises:
        LibraryError: the copy is damaged: the database is.
    """
    now = now or datetime.now(UTC)
    folder = library.folder("backups")
    path = folder / f"{now:%Y-%m-%dT%H}.sqlite"
    kept = list_copies(library.home, now)
    written = max(_modified_s(path) for path in database_files(library.home / DATABASE)[:2])
    if kept and written <= _modified_s(folder / f"{kept[-1]}.sqlite"):
        return None
    if path.exists():
        return None
    with written_beside(path) as beside:
        with library.reading() as db, closing(sqlite3.connect(beside)) as copy:
            db.backup(copy)
            fault = copy.execute("PRAGMA integrity_check(1)").fetchone()[0]
        if fault != "ok":
            raise LibraryError(f"the database in {library.home} is damaged ({fault}); no copy of it is kept")
    kept = list_copies(library.home, now)
    for name in set(kept) - to_keep(kept):
        (folder / f"{name}.sqlite").unlink()
    return path


def list_copies(home: Path, now: datetime | None = None) -> list[str]:
    """The hours of which there are copies, oldest first; those of the future are a clock's mistake."""
    until = f"{now or datetime.now(UTC):%Y-%m-%dT%H}"
    names = (path.stem for path in (home / "backups").glob("*.sqlite"))
    return sorted(name for name in names if _NAME.fullmatch(name) and name <= until)


def to_keep(names: Iterable[str]) -> set[str]:
    """Of copies, the newest of the last hours, days and weeks in which there are any."""
    newest = sorted(names, reverse=True)
    keep = set(newest[:HOURS])
    for most, period in ((DAYS, _day), (WEEKS, _week)):
        by_period = {period(name): name for name in reversed(newest)}
        keep |= set(sorted(by_period.values(), reverse=True)[:most])
    return keep


def restore(home: Path, wanted: str | None = None) -> str:
    """Put a copy in the database's place, the newest where none is given; returns the hour it is of.

    Sounds that it knows come back out of the trash. What was there stays beside it, with its log, as
    ``library.sqlite.damaged-1``, or the next number that is free; as long as one lies there no sound is taken for
    needless. Hold the library meanwhile.

    Args:
        wanted: the beginning of the copy's name: a day or an hour; the newest that fits is taken.

    Raises:
        LibraryError: there is no copy, or none of that time.
    """
    kept = list_copies(home)
    if not kept:
        raise LibraryError(f"{home} holds no copy of its database; nothing to restore")
    fitting = [name for name in kept if name.startswith(wanted or "")]
    if not fitting:
        raise LibraryError(f"there is no copy of {wanted}; there are: {', '.join(kept)}")
    database = home / DATABASE
    with written_beside(database) as beside:
        beside.write_bytes((home / "backups" / f"{fitting[-1]}.sqlite").read_bytes())
        _move_aside(database)
    _bring_sounds_back(home)
    return fitting[-1]


def damaged_databases(home: Path) -> list[Path]:
    """Databases that a copy took the place of, with their logs."""
    return sorted(home.glob(f"{DATABASE}.damaged*"))


def _move_aside(database: Path) -> None:
    number = 1
    while list(database.parent.glob(f"{database.name}.damaged-{number}*")):
        number += 1
    aside = database_files(database.with_name(f"{database.name}.damaged-{number}"))
    for path, away in zip(database_files(database), aside, strict=True):
        if path.exists():
            path.replace(away)


def _bring_sounds_back(home: Path) -> None:
    with closing(sqlite3.connect(home / DATABASE)) as db:
        known = {sha256 for (sha256,) in db.execute("SELECT sha256 FROM sources").fetchall()}
    for path in (home / "trash").glob("*"):
        if path.stem.split("-")[0] in known:
            path.replace(home / "audio" / path.name)


def _modified_s(path: Path) -> float:
    return path.stat().st_mtime if path.exists() else 0.0


def _day(name: str) -> str:
    return name[:10]


def _week(name: str) -> tuple[int, int]:
    return datetime.fromisoformat(_day(name)).isocalendar()[:2]
