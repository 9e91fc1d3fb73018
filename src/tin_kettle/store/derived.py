"""Sound that can be made again: trusted only while it is what was written."""

from __future__ import annotations

import hashlib
from pathlib import Path

from tin_kettle.core.beside import written_beside

SEAL = ".sum"
_intact: set[tuple[Path, int, int]] = set()


def seal(path: Path) -> None:
    """Keep the digest of a finished file beside it."""
    with written_beside(_seal_path(path)) as beside:
        beside.write_text(_digest(path), encoding="ascii")


def is_intact(path: Path) -> bool:
    """Whether a file is there and is what was written; looked at once in each process."""
    try:
        about = path.stat()
        known = path, about.st_ino, about.st_size
        if known not in _intact:
            if _seal_path(path).read_text(encoding="ascii") != _digest(path):
                return False
            _intact.add(known)
        return True
    except (FileNotFoundError, UnicodeDecodeError):
        return False


def _seal_path(path: Path) -> Path:
    return path.with_name(path.name + SEAL)


def _digest(path: Path) -> str:
    with path.open("rb") as file:
        return hashlib.file_digest(file, "blake2b").hexdigest()
