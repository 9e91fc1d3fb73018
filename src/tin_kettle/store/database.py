"""Opening the library: one place for pragmas, one door for writing, migrations in order."""

from __future__ import annotations

import sqlite3
from collections.abc import Iterator
from contextlib import contextmanager
from datetime import UTC, datetime
from importlib.resources import files
from pathlib import Path

from tin_kettle.core.errors import LibraryError

FOLDERS = ("audio", "waveforms", "surveys", "prints", "incoming", "starts", "chains")


class Library:
    """A library in a folder, made if it is not there.

    Raises:
        LibraryError: the folder cannot be written to, or was made by a newer Tin Kettle.
    """

    def __init__(self, home: Path) -> None:
        self.home = home
        try:
            for folder in FOLDERS:
                (home / folder).mkdir(parents=True, exist_ok=True)
            self._migrate()
        except (OSError, sqlite3.OperationalError) as problem:
            raise LibraryError(f"{home} cannot be used as a library ({problem}); choose another with --home") from None

    def folder(self, name: str) -> Path:
        """One of the library's folders."""
        return self.home / name

    def _open(self) -> sqlite3.Connection:
        db = sqlite3.connect(self.home / "library.sqlite", timeout=10.0, isolation_level=None)
        db.row_factory = sqlite3.Row
        db.execute("PRAGMA foreign_keys = ON")
        db.execute("PRAGMA journal_mode = WAL")
        db.execute("PRAGMA synchronous = NORMAL")
        return db

    @contextmanager
    def reading(self) -> Iterator[sqlite3.Connection]:
        """A connection that cannot write."""
        db = self._open()
        try:
            db.execute("PRAGMA query_only = ON")
            yield db
        finally:
            db.close()

    @contextmanager
    def writing(self) -> Iterator[sqlite3.Connection]:
        """A transaction: kept when the block ends, undone when it raises."""
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
            done = int(db.execute("PRAGMA user_version").fetchone()[0])
            if done > len(scripts):
                raise LibraryError(f"{self.home} was made by a newer Tin Kettle; update, or choose another with --home")
            for number, script in enumerate(scripts[done:], done + 1):
                for statement in _statements(script.read_text(encoding="utf-8")):
                    db.execute(statement)
                db.execute(f"PRAGMA user_version = {number:d}")


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
