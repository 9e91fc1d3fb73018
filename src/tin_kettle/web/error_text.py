"""What went wrong, in words that may leave the server."""

from __future__ import annotations

from tin_kettle.core.errors import KettleError
from tin_kettle.store.database import Library
from tin_kettle.store.storage_errors import disk_trouble


def in_words(library: Library, problem: Exception) -> str:
    """One line, without the places of this machine."""
    if isinstance(problem, KettleError):
        text = str(problem)
    elif isinstance(problem, OSError):
        text = disk_trouble(problem, library.home)
    else:
        text = f"the program failed ({type(problem).__name__}); go on, and tell its developers what you did"
    return text.replace(f"{library.home}/", "")
