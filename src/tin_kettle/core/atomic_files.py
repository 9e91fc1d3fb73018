"""Files that are whole or not there: written beside their place under a name of their own, then renamed."""

from __future__ import annotations

import os
import uuid
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path


@contextmanager
def written_beside(path: Path) -> Iterator[Path]:
    """Where to write; it takes the place of ``path`` when the block ends, and nothing is left behind when it raises.

    The file is on the disk before it has its name: a power cut leaves the old one or the new one, never an empty one.
    """
    beside = path.with_name(f"{path.name}.{uuid.uuid4().hex}.part")
    try:
        yield beside
        put_in_place(beside, path)
    finally:
        beside.unlink(missing_ok=True)


def put_in_place(beside: Path, path: Path) -> None:
    """Give a written file its name, for good."""
    _to_disk(beside)
    beside.replace(path)
    _to_disk(path.parent)


def _to_disk(path: Path) -> None:
    number = os.open(path, os.O_RDONLY)
    try:
        os.fsync(number)
    finally:
        os.close(number)
