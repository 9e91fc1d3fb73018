"""Opening the library: one place for pragmas, one door for writing, migrations in order."""

from __future__ import annotations

import os
import sqlite3
import uuid
from collections import defaultdict
from collections.abc import Iterator
from contextlib import contextmanager
from datetime import UTC, datetime
from importlib.resources import files
from pathlib import Path

from tin_kettle.core.errors import LibraryError, StorageError
from tin_kettle.store.storage_errors import database_trouble

FOLDERS = (
    "audio",
    "waveforms",
    "surveys",
    "mastered",
    "prints",
    "deliveries",
    "specs",
    "incoming",
    "starts",
    "chains",
    "covers",
    "backups",
    "trash",
)
DATABASE = "library.sqlite"
PATIENCE_S = 10.0


class Library:
    """A library in a folder, made if it is not there.

    Args:
        new: begin a new database even where sounds lie that another one must have known.

    Raises:
        LibraryError: the folder cannot be written to, its database is damaged or lost, or it was made by a newer Tin
            Kettle.
    """

    def __init__(self, home: Path, new: bool = False) -> None:
        self.home = home
        # connections at rest, by process: a fork must not use its parent's
        self._readers: defaultdict[int, list[sqlite3.Connection]] = defaultdict(list)
        try:
            for folder in FOLDERS:
                (home / folder).mkdir(parents=True, exist_ok=True)
            _try_to_write(home)
            if not new:
                _refuse_lost_database(home)
            self._migrate()
        except OSError as problem:
            raise LibraryError(
                f"{home} cannot be used as a library ({problem.strerror}); choose another with --home"
            ) from None
        except StorageError as problem:
            raise LibraryError(f"{home} cannot be used as a library: {problem}") from None

    def folder(self, name: str) -> Path:
        """One of the library's folders."""
        return self.home / name

    def _open(self) -> sqlite3.Connection:
        # readers are kept and used by one thread after the other
        db = sqlite3.connect(self.home / DATABASE, timeout=PATIENCE_S, isolation_level=None, check_same_thread=False)
        db.row_factory = sqlite3.Row
        db.execute("PRAGMA foreign_keys = ON")
        db.execute("PRAGMA journal_mode = WAL")
        db.execute("PRAGMA synchronous = NORMAL")
        return db

    @contextmanager
    def reading(self) -> Iterator[sqlite3.Connection]:
        """A connection that cannot write; it was opened before, so that reading goes on where nothing can be written.

        Raises:
            StorageError: the database fails.
        """
        resting = self._readers[os.getpid()]
        try:
            db = resting.pop() if resting else self._open_reader()
            try:
                yield db
            except BaseException:
                db.close()
                raise
            resting.append(db)
        except sqlite3.DatabaseError as problem:
            raise StorageError(database_trouble(problem, self.home)) from problem

    def _open_reader(self) -> sqlite3.Connection:
        db = self._open()
        db.execute("PRAGMA query_only = ON")
        return db

    @contextmanager
    def writing(self) -> Iterator[sqlite3.Connection]:
        """A transaction: kept when the block ends, undone when it raises.

        Raises:
            StorageError: the database fails, the disk is full, or another program holds it.
        """
        try:
            db = self._open()
            try:
                db.execute("BEGIN IMMEDIATE")
                yield db
                db.execute("COMMIT")
            except BaseException:
                if db.in_transaction:
                    db.execute("ROLLBACK")
                raise
            finally:
                db.close()
        except sqlite3.IntegrityError as problem:
            raise LibraryError("what this belongs to is not in the library; reload the bench") from problem
        except sqlite3.DatabaseError as problem:
            raise StorageError(database_trouble(problem, self.home)) from problem

    def _migrate(self) -> None:
        scripts = sorted(
            (
                entry
                for entry in files("tin_kettle.store").joinpath("migrations").iterdir()
                if entry.name.endswith(".sql")
            ),
            key=lambda entry: entry.name,
        )
        with self.writing() as db:
            fault = db.execute("PRAGMA quick_check(1)").fetchone()[0]
            if fault != "ok":
                raise LibraryError(
                    f"the database in {self.home} is damaged; run: tin-kettle restore --home {self.home}"
                )
            done = int(db.execute("PRAGMA user_version").fetchone()[0])
            if done > len(scripts):
                raise LibraryError(f"{self.home} was made by a newer Tin Kettle; update, or choose another with --home")
            for number, script in enumerate(scripts[done:], done + 1):
                for statement in _statements(script.read_text(encoding="utf-8")):
                    db.execute(statement)
                db.execute(f"PRAGMA user_version = {number:d}")


def database_files(database: Path) -> list[Path]:
    """A database and what belongs to it: its log, and the log's index."""
    return [database.with_name(database.name + ending) for ending in ("", "-wal", "-shm")]


def _refuse_lost_database(home: Path) -> None:
    """Sounds without a database are a library that lost it, not an empty one."""
    database = home / DATABASE
    if database.exists() and database.stat().st_size:
        return
    sounds = sum(1 for path in (home / "audio").iterdir() if path.suffix != ".part")
    if sounds:
        raise LibraryError(
            f"{home} holds sounds ({sounds}), and its database is missing; put a copy back with tin-kettle restore, or "
            "begin a new one with tin-kettle serve --new"
        )


def _try_to_write(home: Path) -> None:
    """A folder may be there and still take nothing."""
    trial = home / "incoming" / f"{uuid.uuid4().hex}.part"
    trial.write_bytes(b"")
    trial.unlink()


def _statements(script: str) -> Iterator[str]:
    """Single statements, so that a migration and its number share one transaction."""
    gathered = ""
    for line in script.splitlines(keepends=True):
        gathered += line
        if sqlite3.complete_statement(gathered):
            yield gathered
            gathered = ""


def now() -> str:
    """The time as the library notes it: UTC, ISO 8601."""
    return datetime.now(UTC).isoformat(timespec="seconds")
