"""One server a library: a lock on its folder, with the name of the process that has it."""

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

LOCK_FILE = "lock"
PATIENCE_S = 2.0
"""A process whose parent was killed needs a moment to notice."""
RETRY_S = 0.05


@contextmanager
def library_lock(home: Path) -> Iterator[None]:
    """Lock a library's folder, which is made if it is not there; the system unlocks it when the process ends.

    Raises:
        LibraryError: another process has it, or the folder cannot be written to.
    """
    with _open(home) as file:
        if not _acquire(file):
            file.seek(0)
            raise LibraryError(
                f"{home} is in use by {file.read() or 'another process'}; stop it, or choose another with --home"
            )
        file.truncate(0)
        file.write(f"process {os.getpid()} on {socket.gethostname()}")
        file.flush()
        yield


def _open(home: Path) -> TextIO:
    try:
        home.mkdir(parents=True, exist_ok=True)
        # not emptied on opening: what stands in it is the other process's
        return (home / LOCK_FILE).open("a+", encoding="utf-8")
    except OSError as problem:
        raise LibraryError(
            f"{home} cannot be used as a library ({problem.strerror}); choose another with --home"
        ) from None


def _acquire(file: TextIO) -> bool:
    deadline_s = time.monotonic() + PATIENCE_S
    while True:
        try:
            fcntl.flock(file, fcntl.LOCK_EX | fcntl.LOCK_NB)
            return True
        except BlockingIOError:
            if time.monotonic() > deadline_s:
                return False
            time.sleep(RETRY_S)
