"""Crossfades: from one setting of a processor to the next without a click."""

from __future__ import annotations

from typing import Self

import numpy as np
from numpy.typing import NDArray

from tin_kettle.core.stages.processor import Block, Processor

FADE_MS = 10.0


def fade_in(done: int, frames: int, whole: int) -> NDArray[np.float64]:
    """(frames,) of a crossfade of ``whole`` frames of which ``done`` are over: half a cosine, without corners.

    A negative ``done`` is a wait before it begins.
    """
    over = np.clip((done + 1 + np.arange(frames)) / whole, 0.0, 1.0)
    return np.asarray(0.5 - 0.5 * np.cos(np.pi * over))


def fade_frames(rate_hz: float) -> int:
    """Length of a crossfade."""
    return max(round(FADE_MS * rate_hz / 1000.0), 1)


class Fading:
    """A processor without delay, and the one that it comes from."""

    def __init__(self, processor: Processor, rate_hz: float) -> None:
        self.processor = processor
        self._old: Processor | None = None
        self._faded = 0
        self._fade = fade_frames(rate_hz)

    def fork(self) -> Self:
        """A copy that goes on from the same state."""
        twin = type(self).__new__(type(self))
        twin.__dict__.update(self.__dict__)
        twin.processor = self.processor.fork()
        twin._old = self._old.fork() if self._old else None
        return twin

    def change(self, processor: Processor) -> None:
        """Go to another setting from the next sample on."""
        processor.adopt(self.processor)
        self._old, self.processor, self._faded = self.processor, processor, 0

    def process(self, block: Block) -> Block:
        """Next block, (2, frames); the input stays as it is."""
        after = self.processor.process(block.copy())
        if self._old is None:
            return after
        before = self._old.process(block.copy())
        ramp = fade_in(self._faded, block.shape[1], self._fade)
        self._faded += block.shape[1]
        if self._faded >= self._fade:
            self._old = None
        return before + ramp * (after - before)
