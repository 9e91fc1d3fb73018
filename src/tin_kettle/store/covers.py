"""Covers of records: pictures by the hash of their content."""

from __future__ import annotations

import hashlib
from pathlib import Path

from tin_kettle.core.atomic_files import written_beside
from tin_kettle.core.deliver.tags import cover_type
from tin_kettle.store.database import Library


def keep_cover(library: Library, data: bytes) -> str:
    """Take a picture in; returns the hash that a record names it by.

    Raises:
        RecordError: it is too large, or neither PNG nor JPEG.
    """
    cover_type(data)
    sha256 = hashlib.sha256(data).hexdigest()
    with written_beside(cover_path(library, sha256)) as beside:
        beside.write_bytes(data)
    return sha256


def cover_path(library: Library, sha256: str) -> Path:
    """Where a picture lies."""
    return library.folder("covers") / sha256
