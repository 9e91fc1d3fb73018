"""How much of the time there is a chain takes, and when that is too much to render as it plays."""

from __future__ import annotations

import time
from collections.abc import Iterator
from contextlib import contextmanager

from tin_kettle.core.engine.live.audition import Audition

HEAVY, LIGHT = 0.9, 0.6
"""Share of the time there is from which a chain is too heavy to render as it plays, and below which it is not."""
SLOWEST = 2.0
"""More than this one block does not count: a kernel that is loaded once makes no chain heavy."""
SMOOTH = 0.1
TOLD_STEP = 0.05


class Load:
    """Measures one audition.

    ``of_time`` is the share of the clock that rendering takes, ``work`` that of the machine's work alone.
    """

    def __init__(self) -> None:
        self.of_time = self.work = 0.0
        self._heavy = False
        self._told: tuple[bool, float | None] = (False, None)

    @contextmanager
    def measured(self, audition: Audition) -> Iterator[None]:
        """Around the rendering of blocks; one that was rendered ahead says nothing."""
        began, began_work, position = time.perf_counter(), time.thread_time(), audition.position
        yield
        frames = audition.position - position
        if audition.ahead is not None or frames <= 0:
            return
        a_second = audition.rate_hz / frames
        self.of_time += SMOOTH * ((time.perf_counter() - began) * a_second - self.of_time)
        # what others do to the machine does not make a chain heavy
        work = min((time.thread_time() - began_work) * a_second, SLOWEST)
        self.work += SMOOTH * (work - self.work)

    def look(self, audition: Audition) -> tuple[bool, float | None] | None:
        """Go over to rendering ahead where the chain is too heavy, and back where it is not.

        Returns:
            Whether it is too heavy and how far its loop is rendered, where that is news.
        """
        ahead = audition.ahead
        if ahead is not None and ahead.ready and ahead.progress == 1.0:
            self.of_time = self.work = ahead.load
            if self.work < LIGHT:
                audition.come_back()
        if self.work > HEAVY:
            self._heavy = True
        elif self.work < LIGHT:
            self._heavy = False
        if self._heavy and audition.ahead is None and audition.loop is not None:
            audition.go_ahead()
        ahead = audition.ahead
        now = self._heavy, None if ahead is None else ahead.progress
        if now[0] == self._told[0] and not _apart(now[1], self._told[1]):
            return None
        self._told = now
        return now


def _apart(progress: float | None, told: float | None) -> bool:
    """Whether a progress is worth telling."""
    if progress is None or told is None:
        return progress is not told
    return abs(progress - told) >= TOLD_STEP or (progress == 1.0) != (told == 1.0)
