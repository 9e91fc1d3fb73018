"""Sound that can be made again: trusted only while it is what was written."""

from __future__ import annotations

from pathlib import Path

from tin_kettle.core.atomic_files import written_beside
from tin_kettle.core.digest import sha256_of

SEAL = ".sum"
_intact: set[tuple[Path, int, int]] = set()


def seal(path: Path) -> None:
    """Keep the digest of a finished file beside it."""
    with written_beside(_seal_path(path)) as beside:
        beside.write_text(sha256_of(path), encoding="ascii")


def is_intact(path: Path) -> bool:
    """Whether a file is there and is what was written; looked at once in each process."""
    try:
        about = path.stat()
        known = path, about.st_ino, about.st_size
        if known not in _intact:
            if _seal_path(path).read_text(encoding="ascii") != sha256_of(path):
                return False
            _intact.add(known)
        return True
    except (FileNotFoundError, UnicodeDecodeError):
        return False


def _seal_path(path: Path) -> Path:
    return path.with_name(path.name + SEAL)
