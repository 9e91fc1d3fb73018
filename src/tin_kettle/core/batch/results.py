"""What a result was made of: kept beside it, so that only what is missing or was changed is made again."""

from __future__ import annotations

import hashlib
import json
from pathlib import Path
from typing import Any

from tin_kettle.core.atomic_files import written_beside
from tin_kettle.core.batch.execute import files_of
from tin_kettle.core.batch.jobs import Job

MEANING = 2
"""Raised when the same job would give another result."""
CHUNK_BYTES = 1 << 20


class Hashes:
    """SHA-256 of files, each read once."""

    def __init__(self) -> None:
        self._known: dict[Path, str] = {}

    def of(self, path: Path) -> str:
        """The hash of a file.

        Raises:
            OSError: it cannot be read.
        """
        if path not in self._known:
            found = hashlib.sha256()
            with path.open("rb") as file:
                while chunk := file.read(CHUNK_BYTES):
                    found.update(chunk)
            self._known[path] = found.hexdigest()
        return self._known[path]


def key_of(job: Job, folder: Path, hashes: Hashes) -> str:
    """A name for all that a result depends on: what is asked, and the files by their content.

    Raises:
        OSError: a file cannot be read.
    """
    asked = job.model_dump(exclude={"id", "out", "source", "buses", "recipe"})
    files = {bus_id: hashes.of(path) for bus_id, path in files_of(job, folder).items()}
    recipe = hashes.of(folder / job.recipe) if job.do != "measure" else None
    # the container follows the ending
    told = json.dumps([MEANING, asked, files, recipe, Path(job.out).suffix.lower()], sort_keys=True)
    return hashlib.sha256(told.encode()).hexdigest()


def _note_of(out: Path) -> Path:
    return out.with_name(f".{out.name}.made")


def _stamp(out: Path) -> list[int]:
    found = out.stat()
    return [found.st_size, found.st_mtime_ns]


def is_made(out: Path, key: str) -> bool:
    """Whether a result is there as it was made, of the same."""
    try:
        note: Any = json.loads(_note_of(out).read_text(encoding="utf-8"))
        return bool(note == {"key": key, "file": _stamp(out)})
    except (OSError, ValueError):
        return False


def note_made(out: Path, key: str) -> None:
    """Keep what a result was made of."""
    with written_beside(_note_of(out)) as beside:
        beside.write_text(json.dumps({"key": key, "file": _stamp(out)}), encoding="utf-8")


def sweep(out: Path) -> None:
    """Take away what a worker that was killed left half-written."""
    if not out.parent.is_dir():
        return
    for left in out.parent.iterdir():
        if left.name.endswith(".part") and left.name.lstrip(".").startswith(f"{out.name}."):
            left.unlink(missing_ok=True)
