"""One server a library: whoever works on it holds it, and says who that is."""

from __future__ import annotations

import fcntl
import os
import socket
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import TextIO

from tin_kettle.core.errors import LibraryError

HELD = "held"
PATIENCE_S = 2.0
"""A process whose parent was killed needs a moment to notice."""


@contextmanager
def held(home: Path) -> Iterator[None]:
    """Hold a library's folder, made if it is not there; the system lets go of it when the processes that hold it end.

    Raises:
        LibraryError: another process holds it, or it cannot be written to.
    """
    try:
        home.mkdir(parents=True, exist_ok=True)
        # not cut to nothing on opening: what stands in it is its holder's
        with (home / HELD).open("a+", encoding="utf-8") as file:
            if not _taken(file):
                file.seek(0)
                raise LibraryError(
                    f"{home} is in use by {file.read() or 'another process'}; stop it, or choose another with --home"
                )
            file.truncate(0)
            file.write(f"process {os.getpid()} on {socket.gethostname()}")
            file.flush()
            yield
    except OSError as problem:
        raise LibraryError(
            f"{home} cannot be used as a library ({problem.strerror}); choose another with --home"
        ) from None


def _taken(file: TextIO) -> bool:
    until_s = time.monotonic() + PATIENCE_S
    while True:
        try:
            fcntl.flock(file, fcntl.LOCK_EX | fcntl.LOCK_NB)
            return True
        except BlockingIOError:
            if time.monotonic() > until_s:
                return False
            time.sleep(0.05)
