"""Prints: what was made of a revision, with its measurements."""

from __future__ import annotations

import json
import sqlite3
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from tin_kettle.core.atomic_files import written_beside
from tin_kettle.core.errors import LibraryError
from tin_kettle.store.database import Library, now


@dataclass(frozen=True)
class PrintRow:
    """A print. ``measures`` and ``clipped`` are there once it is done, ``problem`` when it failed."""

    id: int
    song_id: int
    revision_id: int
    file_name: str
    settings: dict[str, Any]
    state: str
    problem: str | None
    clipped: int | None
    measures: dict[str, Any] | None
    made_at: str


_COLUMNS = "id, song_id, revision_id, file_name, settings, state, problem, clipped, measures, made_at"


def _print(row: sqlite3.Row) -> PrintRow:
    values = dict(row)
    values["settings"] = json.loads(values["settings"])
    values["measures"] = json.loads(values["measures"]) if values["measures"] else None
    return PrintRow(**values)


def add_print(library: Library, song_id: int, revision_id: int, file_name: str, settings: dict[str, Any]) -> int:
    """Note that a print begins; returns its number."""
    with library.writing() as db:
        print_id = db.execute(
            "INSERT INTO prints (song_id, revision_id, file_name, settings, state, made_at)"
            " VALUES (?, ?, ?, ?, 'running', ?)",
            (song_id, revision_id, file_name, json.dumps(settings), now()),
        ).lastrowid
    assert print_id is not None
    return print_id


def finish_print(
    library: Library,
    print_id: int,
    state: str,
    problem: str | None = None,
    result: dict[str, Any] | None = None,
) -> None:
    """Note how a print ended: ``done`` with its result, ``failed`` with the problem, or ``stopped``."""
    clipped = result["clipped"] if result else None
    measures = json.dumps(result["measures"]) if result else None
    with library.writing() as db:
        db.execute(
            "UPDATE prints SET state = ?, problem = ?, clipped = ?, measures = ? WHERE id = ?",
            (state, problem, clipped, measures, print_id),
        )


def get_print(library: Library, print_id: int) -> PrintRow:
    """One print.

    Raises:
        LibraryError: there is none of that number.
    """
    with library.reading() as db:
        row = db.execute(f"SELECT {_COLUMNS} FROM prints WHERE id = ?", (print_id,)).fetchone()
    if row is None:
        raise LibraryError(f"there is no print {print_id}; choose one from the list")
    return _print(row)


def list_prints(library: Library, song_id: int) -> list[PrintRow]:
    """A song's prints, newest first."""
    with library.reading() as db:
        rows = db.execute(f"SELECT {_COLUMNS} FROM prints WHERE song_id = ? ORDER BY id DESC", (song_id,)).fetchall()
    return [_print(row) for row in rows]


def print_path(library: Library, print_id: int, file_name: str) -> Path:
    """Where the file of a print lies; its ending is that of the name it is downloaded by."""
    return library.folder("prints") / f"{print_id:d}{Path(file_name).suffix}"


def keep_result(out: Path, result: dict[str, Any]) -> None:
    """Write what is told of a complete file beside it, in case that nobody is there to note it."""
    with written_beside(out.with_suffix(".json")) as beside:
        beside.write_text(json.dumps(result), encoding="utf-8")


def settle_orphans(library: Library) -> None:
    """Prints that were running when the last server ended: done where the file is complete, else they never will be."""
    with library.reading() as db:
        rows = db.execute("SELECT id, file_name FROM prints WHERE state = 'running'").fetchall()
    for row in rows:
        path = print_path(library, row["id"], row["file_name"])
        result = _read_note(path.with_suffix(".json")) if path.is_file() else None
        finish_print(library, row["id"], "stopped" if result is None else "done", result=result)


def _read_note(note: Path) -> dict[str, Any] | None:
    """What a print's worker told of it, or nothing where that cannot be read."""
    try:
        result = json.loads(note.read_text(encoding="utf-8"))
    except (OSError, ValueError):
        return None
    return result if isinstance(result, dict) and {"clipped", "measures"} <= result.keys() else None
