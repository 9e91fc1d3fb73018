"""Words for disks and databases that fail: what is wrong, how much is missing, what to do. No paths in them."""

from __future__ import annotations

import errno
import shutil
import sqlite3
from pathlib import Path

LITTLE_ROOM_MB = 64
"""Less than this on the library's disk, and nothing is safely written."""


def disk_trouble(problem: OSError, home: Path) -> str:
    """Of a file that could not be written or read."""
    if problem.errno in (errno.ENOSPC, errno.EDQUOT):
        return _full(home)
    if problem.errno in (errno.EROFS, errno.EACCES, errno.EPERM):
        return "the library's folder cannot be written to; allow it, or start with another --home"
    if problem.errno in (errno.EMFILE, errno.ENFILE):
        return "too many files are open; close other windows of the bench and try again"
    if not home.is_dir():
        return "the library's folder is gone; put it back, and it goes on by itself"
    return f"the library's disk fails ({problem.strerror or problem}); check it, and try again"


def database_trouble(problem: sqlite3.Error, home: Path) -> str:
    """Of the database."""
    code = getattr(problem, "sqlite_errorcode", sqlite3.SQLITE_ERROR) & 0xFF
    if code == sqlite3.SQLITE_FULL:
        return _full(home)
    if code in (sqlite3.SQLITE_BUSY, sqlite3.SQLITE_LOCKED):
        return "another program holds the library's database; close it; it is tried again"
    if code in (sqlite3.SQLITE_READONLY, sqlite3.SQLITE_PERM):
        return "the library's database cannot be written to; allow it, or start with another --home"
    if code in (sqlite3.SQLITE_CORRUPT, sqlite3.SQLITE_NOTADB):
        return "the library's database is damaged; stop the server and run: tin-kettle restore"
    if not home.is_dir():
        return "the library's folder is gone; put it back, and it goes on by itself"
    return f"the library's database fails ({problem}); check the disk, and try again"


def _full(home: Path) -> str:
    try:
        free_mb = shutil.disk_usage(home).free / 1e6
    except OSError:
        free_mb = 0.0
    missing_mb = max(LITTLE_ROOM_MB - free_mb, 1.0)
    return (
        f"the disk that holds the library is full: {free_mb:.0f} MB are free; make {missing_mb:.0f} MB of room or "
        "more, and it goes on by itself"
    )
