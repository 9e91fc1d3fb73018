"""Long work beside the ear takes what the machine has left over."""

from __future__ import annotations

import os
from contextlib import suppress
from pathlib import Path

NICENESS = 15
AUTOGROUP = Path("/proc/self/autogroup")
SESSION_NICENESS = 19


def take_what_is_left() -> None:
    """Let this process wait for every other that is ready to run.

    One that is only niced runs its turn of some milliseconds to the end; of many such turns gaps are heard. Where Linux
    shares the machine out among sessions first, niceness counts within one: so the process gets a session of its own.
    """
    os.nice(NICENESS)
    with suppress(OSError, AttributeError):
        os.setsid()
        AUTOGROUP.write_text(str(SESSION_NICENESS))
    # Linux has something better, for each thread; where a sandbox forbids it, being nice has to do
    with suppress(OSError, AttributeError):
        for thread in Path("/proc/self/task").iterdir():
            os.sched_setscheduler(int(thread.name), os.SCHED_IDLE, os.sched_param(0))
