"""Crossfades: from one voice to the next in 10 ms, without a click. One policy for stages, faders, ears and roads."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from typing import Generic, Self, TypeVar

import numpy as np
from numpy.typing import NDArray

from tin_kettle.core.dsp.state_copy import Forkable, twin_of

FADE_MS = 10.0
Voice = TypeVar("Voice", bound=Forkable)
Wish = TypeVar("Wish")


def fade_in(done: int, frames: int, whole: int) -> NDArray[np.float64]:
    """(frames,) of a crossfade of ``whole`` frames of which ``done`` are over: half a cosine, without corners."""
    over = np.clip((done + 1 + np.arange(frames)) / whole, 0.0, 1.0)
    return np.asarray(0.5 - 0.5 * np.cos(np.pi * over))


def fade_frames(rate_hz: float) -> int:
    """Length of a crossfade."""
    return max(round(FADE_MS * rate_hz / 1000.0), 1)


class Crossfade(Generic[Voice, Wish]):
    """What sounds now, and what it comes from while that fades.

    A change that comes during a fade waits, and is made when the fade is over; the last one that came counts. A fade of
    which nothing was heard yet is begun anew.
    """

    def __init__(self, voice: Voice, rate_hz: float) -> None:
        self.now = voice
        self.old: Voice | None = None
        self._waiting: tuple[Wish, ...] = ()
        self._done = 0
        self._fade = fade_frames(rate_hz)

    @property
    def waits(self) -> bool:
        """Whether a change waits for the end of a fade."""
        return bool(self._waiting)

    def fork(self) -> Self:
        """A copy that goes on from the same state."""
        twin = twin_of(self)
        twin.now = self.now.fork()
        twin.old = self.old.fork() if self.old is not None else None
        return twin

    def change(self, wish: Wish, make: Callable[[Wish, Voice], Voice]) -> None:
        """Go to the voice that ``make`` makes of a wish and the voice before it."""
        if self.old is None:
            self.old, self.now, self._done = self.now, make(wish, self.now), 0
        elif self._done == 0:
            self.now = make(wish, self.old)
        else:
            self._waiting = (wish,)

    def stay(self) -> None:
        """Forget a change that waits: what sounds is what is wanted."""
        self._waiting = ()

    def pieces(
        self, frames: int, make: Callable[[Wish, Voice], Voice]
    ) -> Iterator[tuple[slice, NDArray[np.float64] | None]]:
        """Pieces of a block and the ramp from ``old`` to ``now`` over each; no ramp where only ``now`` sounds."""
        at = 0
        while at < frames:
            if self.old is None:
                yield slice(at, frames), None
                return
            run = min(self._fade - self._done, frames - at)
            yield slice(at, at + run), fade_in(self._done, run, self._fade)
            at += run
            self._done += run
            if self._done >= self._fade:
                self.old = None
                if self._waiting:
                    (wish,), self._waiting = self._waiting, ()
                    self.change(wish, make)


def blended(before: NDArray[np.float64], after: NDArray[np.float64], ramp: NDArray[np.float64]) -> NDArray[np.float64]:
    """From one sound to the other along a ramp."""
    return before + ramp * (after - before)
