"""One server a library: whoever works on it holds it, and says who that is."""

from __future__ import annotations

import fcntl
import os
import socket
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from tin_kettle.core.errors import LibraryError

HELD = "held"


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
            try:
                fcntl.flock(file, fcntl.LOCK_EX | fcntl.LOCK_NB)
            except BlockingIOError:
                file.seek(0)
                raise LibraryError(
                    f"{home} is in use by {file.read() or 'another process'}; stop it, or choose another with --home"
                ) from None
            file.truncate(0)
            file.write(f"process {os.getpid()} on {socket.gethostname()}")
            file.flush()
            yield
    except OSError as problem:
        raise LibraryError(
            f"{home} cannot be used as a library ({problem.strerror}); choose another with --home"
        ) from None
