"""To a higher rate and back, by linear-phase filters.

Up, each doubling is a half-band filter (Kaiser window, 120 dB down): every other output is an input, delayed. Down,
the first halving also undoes the droop of what averages three neighbours (:mod:`tin_kettle.core.dsp.waveshaping`); the
others are the half-bands again. All keep 0 … 0.4535 of the rate, 20 kHz at 44.1, and the whole way there and back takes
a whole number of frames.
"""

from __future__ import annotations

from collections.abc import Mapping
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from tin_kettle.core.dsp.compile import inline, kernel

PASSED = 20000.0 / 44100.0
"""Share of the rate that is kept."""
STOP_DB = 120.0
_TAPS = {2: 171, 4: 31, 8: 23}
"""Length of each doubling's filter by the rate that it leads to: 4·m + 3, the longest where the edge is steepest."""
_STRIDE = 256
_GRID = 1500


@inline
def _fold(x: NDArray[np.float64], taps: NDArray[np.float64], length: int, out: NDArray[np.float64]) -> None:
    """Add to ``out`` the symmetric filter of so many taps, of which the first half (and the middle) are given."""
    half = length // 2
    frames = out.shape[0]
    for start in range(0, frames, _STRIDE):
        run = min(_STRIDE, frames - start)
        acc = out[start : start + run]
        # four pairs at once, so that the sum is fetched and put back less often
        for j in range(0, half - 3, 4):
            # a view each: what is added to an index would have to be looked at for its sign
            a0 = x[start + j :]
            a1, a2, a3 = a0[1:], a0[2:], a0[3:]
            b0 = x[start + length - 4 - j :]
            b1, b2, b3 = b0[1:], b0[2:], b0[3:]
            s = taps[j]
            t = taps[j + 1]
            u = taps[j + 2]
            v = taps[j + 3]
            for i in range(run):
                acc[i] += (s * (a0[i] + b3[i]) + t * (a1[i] + b2[i])) + (u * (a2[i] + b1[i]) + v * (a3[i] + b0[i]))
        for j in range(half // 4 * 4, half):
            a = x[start + j :]
            b = x[start + length - 1 - j :]
            s = taps[j]
            for i in range(run):
                acc[i] += s * (a[i] + b[i])
        if length % 2:
            a = x[start + half :]
            s = taps[half]
            for i in range(run):
                acc[i] += s * a[i]


@kernel("void(float64[:, ::1], float64[::1], int64, float64[:, ::1])")
def doubled(joined: NDArray[np.float64], taps: NDArray[np.float64], room: int, out: NDArray[np.float64]) -> None:
    """Twice as many samples.

    Args:
        joined: (2, 2·m + 1 + frames), what came before first.
        taps: (m + 1,) every other tap of the half-band's first half, doubled.
        room: columns of ``out`` that are left as they are, for what comes next to put its past there.
        out: (2, room + 2·frames).
    """
    before = 2 * taps.shape[0] - 1
    frames = (out.shape[1] - room) // 2
    between = np.empty(frames)
    for row in range(2):
        x = joined[row]
        between[:] = 0.0
        _fold(x, taps, before + 1, between)
        middle = x[before - before // 2 :]
        y = out[row, room:]
        for i in range(frames):
            y[2 * i] = between[i]
            y[2 * i + 1] = middle[i]


@kernel("void(float64[:, ::1], float64[::1], float64[::1], int64, int64, float64[:, ::1])")
def halved(
    joined: NDArray[np.float64],
    even: NDArray[np.float64],
    odd: NDArray[np.float64],
    length: int,
    room: int,
    out: NDArray[np.float64],
) -> None:
    """Every other sample of a symmetric filter of ``length`` = 4·m + 3 taps.

    Args:
        joined: (2, at least length − 1 + 2·frames), what came before first.
        even, odd: the first halves of its taps 0, 2, 4 … and 1, 3, 5 …; of a half-band the latter is its middle alone.
        room: columns of ``out`` that are left as they are.
        out: (2, room + frames).
    """
    frames = out.shape[1] - room
    evens = (length + 1) // 2
    odds = 1 if odd.shape[0] == 1 else length // 2
    apart_even = np.empty(frames + evens)
    apart_odd = np.empty(frames + evens)
    for row in range(2):
        x = joined[row]
        # both in one loop: reading pairs vectorises, reading every other sample does not
        for i in range(frames + evens - 1):
            apart_even[i] = x[2 * i]
            apart_odd[i] = x[2 * i + 1]
        y = out[row, room:]
        y[:] = 0.0
        _fold(apart_even, even, evens, y)
        _fold(apart_odd[(evens - 1 - odds) // 2 :], odd, odds, y)


@lru_cache
def _half_band(length: int) -> NDArray[np.float64]:
    middle = length // 2
    # Kaiser 1974: the window's shape for a stop band so far down
    taps = np.sinc(0.5 * (np.arange(length) - middle)) * np.kaiser(length, 0.1102 * (STOP_DB - 8.7))
    taps[middle + 2 :: 2] = taps[middle - 2 :: -2] = 0.0
    taps[middle] = 0.0
    taps *= 0.5 / taps.sum()
    taps[middle] = 0.5
    return np.asarray(taps)


@lru_cache
def _restoring(length: int, edge: float) -> NDArray[np.float64]:
    """Least squares: 3/(1 + 2·cos w) up to ``edge`` (cycles a sample), nothing from ½ − ``edge`` on."""
    w = 2.0 * np.pi * np.concatenate([np.linspace(0.0, edge, _GRID), np.linspace(0.5 - edge, 0.5, _GRID)])
    wanted = np.where(w <= 2.0 * np.pi * edge, 3.0 / (1.0 + 2.0 * np.cos(w)), 0.0)
    waves = np.cos(np.outer(w, np.arange(length // 2, -1, -1)))
    waves[:, :-1] *= 2.0
    # what is not to come back weighs ten times as much as the level of what does
    weight = np.where(wanted > 0.0, 1.0, 10.0)
    half = np.linalg.lstsq(waves * weight[:, None], wanted * weight, rcond=None)[0]
    return np.concatenate([half, half[-2::-1]])


class Oversampling:
    """A stereo stream at ``factor`` times its rate and back again; ``factor`` is 2, 4 or 8.

    What is done in between is to be late by one sample of the higher rate, and to average three.
    """

    def __init__(self, factor: int) -> None:
        self.factor = factor
        stages = [rate for rate in _TAPS if rate <= factor]
        self._up = [2.0 * _half_band(_TAPS[rate])[: _TAPS[rate] // 2 + 1 : 2] for rate in stages]
        self._down = []
        late = 1
        for rate in reversed(stages):
            length = _TAPS[rate]
            last = rate == factor
            taps = _restoring(length, PASSED / rate) if last else _half_band(length)
            even = np.ascontiguousarray(taps[: length // 2 + 1 : 2])
            odd = np.ascontiguousarray(taps[1 : length // 2 + 1 : 2]) if last else np.array([0.5])
            self._down.append((even, odd, length))
        for rate in stages:
            late += 2 * (_TAPS[rate] // 2) * (factor // rate)
        self.delay = -(-late // factor)
        self._pad = self.delay * factor - late
        self.silence = {f"up_{i}": np.zeros((2, 2 * len(taps) - 1)) for i, taps in enumerate(self._up)}
        for i, (_, _, length) in enumerate(self._down):
            self.silence[f"down_{i}"] = np.zeros((2, length - 1 + (self._pad if i == 0 else 0)))

    @property
    def room(self) -> int:
        """Columns that :meth:`down` wants free before what it gets."""
        return int(self.silence["down_0"].shape[1])

    def up(
        self, block: NDArray[np.float64], state: Mapping[str, NDArray[np.float64]], room: int
    ) -> NDArray[np.float64]:
        """The next (2, frames) as (2, room + factor · frames), the first columns free for what comes next.

        ``state`` is written to, and begins as ``silence``.
        """
        before = state["up_0"]
        joined = np.concatenate([before, block], axis=1)
        frames = block.shape[1]
        for i, taps in enumerate(self._up):
            _follow(before, joined)
            last = i + 1 == len(self._up)
            before = before if last else state[f"up_{i + 1}"]
            left = room if last else before.shape[1]
            frames *= 2
            out = np.empty((2, left + frames))
            doubled(joined, taps, left, out)
            joined = out
        return joined

    def down(self, raised: NDArray[np.float64], state: Mapping[str, NDArray[np.float64]]) -> NDArray[np.float64]:
        """(2, room + factor · frames) as (2, frames), in time with what came ``delay`` frames before."""
        joined = raised
        frames = raised.shape[1] - self.room
        if not raised[:, self.room :].any() and not any(state[f"down_{i}"].any() for i in range(len(self._down))):
            # nothing was added and nothing rings on, as between the peaks that are cut off
            return np.zeros((2, frames // self.factor))
        for i, (even, odd, length) in enumerate(self._down):
            _follow(state[f"down_{i}"], joined)
            left = 0 if i + 1 == len(self._down) else state[f"down_{i + 1}"].shape[1]
            frames //= 2
            out = np.empty((2, left + frames))
            halved(joined, even, odd, length, left, out)
            joined = out
        return joined


def _follow(before: NDArray[np.float64], joined: NDArray[np.float64]) -> None:
    """Put what came before into the columns that are free for it, and keep the end for the next time."""
    columns = before.shape[1]
    joined[:, :columns] = before
    before[:] = joined[:, joined.shape[1] - columns :]
