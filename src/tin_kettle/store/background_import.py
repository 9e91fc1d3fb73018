"""What another process makes for the library beside the server: told while it is at work, and no longer."""

from __future__ import annotations

import fcntl
from collections.abc import Callable, Iterator
from contextlib import contextmanager

from tin_kettle.store.database import Library

_NAME = "coming.txt"


@contextmanager
def telling(library: Library) -> Iterator[Callable[[str], None]]:
    """A way to tell what is being made. A process that is killed tells nothing any more: its lock goes with it."""
    with (library.home / _NAME).open("w", encoding="utf-8") as file:
        fcntl.flock(file, fcntl.LOCK_EX)

        def tell(text: str) -> None:
            file.seek(0)
            file.truncate()
            file.write(text)
            file.flush()

        yield tell


def coming(library: Library) -> str | None:
    """What is being made, in words; None where nothing is."""
    try:
        with (library.home / _NAME).open(encoding="utf-8") as file:
            try:
                fcntl.flock(file, fcntl.LOCK_SH | fcntl.LOCK_NB)
            except BlockingIOError:
                return file.read() or None
            return None
    except FileNotFoundError:
        return None
