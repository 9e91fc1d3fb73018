"""What is done for a library beside the work: its database copied, what nobody needs swept away."""

from __future__ import annotations

import logging
import time

from tin_kettle.core.errors import KettleError
from tin_kettle.store.backup import back_up
from tin_kettle.store.database import Library
from tin_kettle.store.sweeping import sweep, sweep_made
from tin_kettle.web.mastered import mastered_to_keep
from tin_kettle.web.surveys import names_to_keep

_log = logging.getLogger(__name__)
DAY_S = 24 * 3600.0
UNTOUCHED_S = 3600.0
"""While the server runs, younger files may be about to be noted."""


def look_after(library: Library) -> None:
    """At the start and once a day, for as long as the process lives."""
    untouched_s = 0.0
    while True:
        try:
            take_care(library, untouched_s)
        except (KettleError, OSError) as problem:
            _log.warning("the library was not looked after: %s", problem)
        untouched_s = UNTOUCHED_S
        time.sleep(DAY_S)


def take_care(library: Library, untouched_s: float) -> None:
    back_up(library)
    sweep(library, untouched_s)
    sweep_made(library, "surveys", names_to_keep(library))
    sweep_made(library, "mastered", mastered_to_keep(library))
