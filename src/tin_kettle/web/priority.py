"""A better place among all that runs on the machine, for the threads that a listener waits for.

Linux gives each thread a niceness. A negative one needs permission: of the system, or of RealtimeKit where it runs.
With automatic grouping it counts within the server's session only. The session itself does not ask for a better place:
the browser is in another one, and the page would starve.
"""

from __future__ import annotations

import logging
import os
import shutil
import subprocess
import threading
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from typing import Literal

_log = logging.getLogger(__name__)
NICENESS = -10
PATIENCE_S = 1.0
Priority = Literal["high", "normal"]
_RTKIT = (
    *("--system", "call", "org.freedesktop.RealtimeKit1", "/org/freedesktop/RealtimeKit1"),
    *("org.freedesktop.RealtimeKit1", "MakeThreadHighPriorityWithPID", "tti"),
)


@contextmanager
def raised_priority() -> Iterator[Priority]:
    """Run the calling thread before others, as far as the system allows; what it got is given."""
    thread = threading.get_native_id()
    try:
        before = os.getpriority(os.PRIO_PROCESS, thread)
    except (OSError, AttributeError):
        # no such thing on this system
        yield "normal"
        return
    got = _ask(thread)
    _log.info("live sound runs at %s priority", got)
    try:
        yield got
    finally:
        # the thread may be one of a pool, and do other work afterwards
        with suppress(OSError):
            os.setpriority(os.PRIO_PROCESS, thread, before)


def _ask(thread: int) -> Priority:
    with suppress(OSError):
        os.setpriority(os.PRIO_PROCESS, thread, NICENESS)
        return "high"
    return "high" if _ask_rtkit(thread) else "normal"


def _ask_rtkit(thread: int) -> bool:
    """Ask RealtimeKit, which desktops run for their players of sound."""
    busctl = shutil.which("busctl")
    if busctl is None:
        return False
    asked = [busctl, *_RTKIT, str(os.getpid()), str(thread), str(NICENESS)]
    try:
        return subprocess.run(asked, capture_output=True, timeout=PATIENCE_S, check=False).returncode == 0
    except (OSError, subprocess.TimeoutExpired):
        return False
