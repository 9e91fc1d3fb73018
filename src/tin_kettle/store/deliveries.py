"""Deliveries: songs printed by specs, what they were made of, what was found in the finished files."""

from __future__ import annotations

import json
import sqlite3
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from tin_kettle.core.errors import LibraryError
from tin_kettle.store.database import Library, now


@dataclass(frozen=True)
class DeliveryRow:
    """A song by a spec, or the whole record where there is no song. ``content`` names all that it was made of."""

    id: int
    record_id: int
    song_id: int | None
    revision_id: int | None
    spec: str
    content: str
    file_name: str
    state: str
    problem: str | None
    sha256: str | None
    checks: list[dict[str, Any]] | None
    measures: dict[str, Any] | None
    starts: dict[str, Any] | None
    made_at: str

    @property
    def passed(self) -> bool:
        return self.state == "done" and all(check["passed"] for check in self.checks or [])


_COLUMNS = (
    "id, record_id, song_id, revision_id, spec, content, file_name, state, problem, sha256, checks, measures, starts,"
    " made_at"
)


def _delivery(row: sqlite3.Row) -> DeliveryRow:
    values = dict(row)
    for name in ("checks", "measures", "starts"):
        values[name] = json.loads(values[name]) if values[name] else None
    return DeliveryRow(**values)


def add_delivery(
    library: Library,
    record_id: int,
    song_id: int | None,
    revision_id: int | None,
    spec: str,
    content: str,
    file_name: str,
) -> int:
    """Note that a song, or the whole record, begins to be delivered; returns the delivery's number."""
    with library.writing() as db:
        made = db.execute(
            "INSERT INTO deliveries (record_id, song_id, revision_id, spec, content, file_name, state, made_at)"
            " VALUES (?, ?, ?, ?, ?, ?, 'running', ?)",
            (record_id, song_id, revision_id, spec, content, file_name, now()),
        ).lastrowid
    assert made is not None
    return made


def finish_delivery(
    library: Library, delivery_id: int, state: str, problem: str | None, result: dict[str, Any] | None
) -> None:
    """Note how it ended: ``done`` with what was made and found, ``failed`` with the problem, or ``stopped``."""
    found = result or {}
    told = [json.dumps(found[name]) if found.get(name) else None for name in ("checks", "measures", "starts")]
    with library.writing() as db:
        db.execute(
            "UPDATE deliveries SET state = ?, problem = ?, sha256 = ?, checks = ?, measures = ?, starts = ?"
            " WHERE id = ?",
            (state, problem, found.get("sha256"), *told, delivery_id),
        )


def get_delivery(library: Library, delivery_id: int) -> DeliveryRow:
    """One delivery.

    Raises:
        LibraryError: there is none of that number.
    """
    with library.reading() as db:
        row = db.execute(f"SELECT {_COLUMNS} FROM deliveries WHERE id = ?", (delivery_id,)).fetchone()
    if row is None:
        raise LibraryError(f"there is no delivery {delivery_id}; choose one from the list")
    return _delivery(row)


def newest_deliveries(library: Library, record_id: int) -> list[DeliveryRow]:
    """Of every song, or the whole, and spec of a record the one that was begun last."""
    with library.reading() as db:
        rows = db.execute(
            f"SELECT {_COLUMNS} FROM deliveries WHERE id IN"
            " (SELECT max(id) FROM deliveries WHERE record_id = ? GROUP BY song_id, spec) ORDER BY id",
            (record_id,),
        ).fetchall()
    return [_delivery(row) for row in rows]


def delivery_path(library: Library, row: DeliveryRow) -> Path:
    """Where its file lies; the name that it is downloaded by is another."""
    return library.folder("deliveries") / f"{row.id:d}{Path(row.file_name).suffix}"


def settle_deliveries(library: Library) -> None:
    """Those that were running when the last server ended are made again when they are asked for."""
    with library.writing() as db:
        db.execute("UPDATE deliveries SET state = 'stopped' WHERE state = 'running'")
