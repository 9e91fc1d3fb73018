"""What a file is known by: the SHA-256 of its content."""

from __future__ import annotations

import hashlib
from pathlib import Path


def sha256_of(path: Path) -> str:
    """The SHA-256 of a file's content, 64 hexadecimal digits.

    Raises:
        OSError: it cannot be read.
    """
    with path.open("rb") as file:
        return hashlib.file_digest(file, "sha256").hexdigest()
