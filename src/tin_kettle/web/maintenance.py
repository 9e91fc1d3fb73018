"""What is done for a library beside the work: its database copied, what nobody needs swept away."""

from __future__ import annotations

import logging
import time

from tin_kettle.core.errors import KettleError
from tin_kettle.store.backup import back_up
from tin_kettle.store.cleanup import sweep, sweep_made
from tin_kettle.store.database import Library
from tin_kettle.web.mastered_files import mastered_to_keep
from tin_kettle.web.surveys import names_to_keep

_log = logging.getLogger(__name__)
HOUR_S = 3600.0
UNTOUCHED_S = 3600.0
"""While the server runs, younger files may be about to be noted."""
CLOCK_S = 1.0
"""File systems tell the time of a file more coarsely than the clock."""


def look_after(library: Library, begun_s: float) -> None:
    """At the start and once an hour, for as long as the process lives.

    Args:
        begun_s: when the process began to answer, in seconds since 1970. Nobody is at work on what was left before,
            and songs may already come in while it is swept away.
    """
    before_s = begun_s - CLOCK_S
    while True:
        try:
            take_care(library, before_s)
        except (KettleError, OSError) as problem:
            _log.warning("the library was not looked after: %s", problem)
        time.sleep(HOUR_S)
        before_s = time.time() - UNTOUCHED_S


def take_care(library: Library, before_s: float) -> None:
    back_up(library)
    sweep(library, before_s)
    sweep_made(library, "surveys", names_to_keep(library))
    sweep_made(library, "mastered", mastered_to_keep(library))
