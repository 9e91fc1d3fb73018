"""Files that are whole or not there: written beside their place under a name of their own, then renamed."""

from __future__ import annotations

import uuid
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path


@contextmanager
def written_beside(path: Path) -> Iterator[Path]:
    """Where to write; it takes the place of ``path`` when the block ends, and nothing is left behind when it raises."""
    beside = path.with_name(f"{path.name}.{uuid.uuid4().hex}.part")
    try:
        yield beside
        beside.replace(path)
    finally:
        beside.unlink(missing_ok=True)
