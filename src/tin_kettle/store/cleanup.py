"""What nobody needs any more: half-written files, sound without a row, surveys beyond their room."""

from __future__ import annotations

import os
import time
from pathlib import Path

from tin_kettle.store.backup import damaged_databases
from tin_kettle.store.database import FOLDERS, Library

TRASH_S = 30 * 24 * 3600.0
"""Sound that belongs to no source is kept so long."""

MADE_MOST_BYTES = 2 << 30
"""Of what can be made again, in each folder."""


def sweep(library: Library, before_s: float) -> None:
    """Delete half-written files, put sound that belongs to no source into the trash, and empty that after 30 days.

    Sound stays where it is while the database knows no source at all, or another one that did lies beside it: that
    database was lost, not its sounds.

    Args:
        before_s: what was touched later, in seconds since 1970, is left alone; whoever writes it may be about to
            note it.
    """
    for path in [path for folder in FOLDERS for path in library.folder(folder).glob("*.part")]:
        if _touched(path) < before_s:
            path.unlink(missing_ok=True)
    with library.reading() as db:
        known = {row["sha256"] for row in db.execute("SELECT sha256 FROM sources").fetchall()}
    if not known or damaged_databases(library.home):
        return
    trash = library.folder("trash")
    for path in trash.iterdir():
        if _touched(path) < time.time() - TRASH_S:
            path.unlink(missing_ok=True)
    for path in library.folder("audio").iterdir():
        # converted sources are named after the one they were made of
        if path.stem.split("-")[0] not in known and _touched(path) < before_s:
            os.utime(path)  # the days in the trash begin now
            path.replace(trash / path.name)


def sweep_made(library: Library, folder: str, keep: set[str], most_bytes: int = MADE_MOST_BYTES) -> None:
    """Delete what was made of songs and not used for longest until the rest has room; names in ``keep`` stay."""
    made = (path for path in library.folder(folder).iterdir() if path.suffix != ".part")
    found = [(path.stat().st_mtime, path.stat().st_size, path) for path in made]
    size = sum(length for _, length, _ in found)
    for _, length, path in sorted(found):
        if size <= most_bytes:
            return
        # a seal goes with what it seals
        if path.name.split(".")[0] not in keep:
            path.unlink(missing_ok=True)
            size -= length


def _touched(path: Path) -> float:
    try:
        return path.stat().st_mtime
    except FileNotFoundError:
        return float("inf")  # renamed meanwhile: it is whole now
