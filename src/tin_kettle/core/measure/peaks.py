"""True peak (ITU-R BS.1770-5 annex 2), sample peak, constant offset, clipping and correlation."""

from __future__ import annotations

from typing import Self

import numpy as np
from numpy.typing import NDArray

from tin_kettle.core.dsp.compile import kernel
from tin_kettle.core.dsp.decibels import gain_to_db
from tin_kettle.core.dsp.peaks import HISTORY, LATENCY, interpolator, peaks_between

FULL_SCALE = 1.0 - 2.0**-15
"""A sample at or above this has no room left at 16 bits and more."""
RUN_THAT_CLIPS = 3


class TruePeakMeter:
    """Highest level between samples, by four-fold interpolation and a parabola; :meth:`finish` flushes its delay."""

    def __init__(self) -> None:
        self._taps = interpolator()
        self._history = np.zeros((2, HISTORY))
        self.highest = np.zeros(2)
        """Highest amplitude so far, per channel."""
        self.recent = np.zeros((2, 0))
        """Amplitudes from each sample of the last block up to the next, (2, frames), ``LATENCY`` frames late."""

    def fork(self) -> Self:
        """A copy that goes on from the same state."""
        twin = type(self)()
        twin._history, twin.highest = self._history.copy(), self.highest.copy()
        return twin

    def feed(self, block: NDArray[np.float64]) -> NDArray[np.float64]:
        """Hear (2, frames); returns the highest amplitude of this block, per channel."""
        frames = block.shape[1]
        joined = np.concatenate([self._history, block], axis=1)
        self._history[:] = joined[:, frames:]
        now = np.zeros(2)
        self.recent = np.empty((2, frames))
        for channel in range(2 if frames else 0):
            peaks_between(joined[channel], self._taps, self.recent[channel])
            now[channel] = self.recent[channel].max()
        self.highest = np.maximum(self.highest, now)
        return now

    def finish(self) -> None:
        """Hear silence until the last sample has been looked at."""
        self.feed(np.zeros((2, LATENCY + 2)))

    @property
    def dbtp(self) -> float:
        """Highest true peak so far in dBTP."""
        return gain_to_db(float(self.highest.max()))


@kernel("void(float64[:, ::1], float64[::1], int64[:, ::1])")
def _add_up(block: NDArray[np.float64], sums: NDArray[np.float64], runs: NDArray[np.int64]) -> None:
    left = block[0]
    right = block[1]
    ll = 0.0
    rr = 0.0
    lr = 0.0
    sum_l = 0.0
    sum_r = 0.0
    for i in range(left.shape[0]):
        ll += left[i] * left[i]
        rr += right[i] * right[i]
        lr += left[i] * right[i]
        sum_l += left[i]
        sum_r += right[i]
    sums[0] += ll
    sums[1] += rr
    sums[2] += lr
    sums[3] += sum_l
    sums[4] += sum_r
    for channel in range(2):
        x = block[channel]
        peak = sums[5 + channel]
        run = runs[channel, 0]
        for i in range(x.shape[0]):
            a = abs(x[i])
            peak = max(peak, a)
            if a >= FULL_SCALE:
                run += 1
                if run == RUN_THAT_CLIPS:
                    runs[channel, 1] += RUN_THAT_CLIPS
                elif run > RUN_THAT_CLIPS:
                    runs[channel, 1] += 1
            else:
                run = 0
        sums[5 + channel] = peak
        runs[channel, 0] = run


class SumMeter:
    """Sums over a whole signal: energies, offset, sample peak, clipped samples."""

    def __init__(self) -> None:
        self._sums = np.zeros(7)
        self._runs = np.zeros((2, 2), dtype=np.int64)
        self.frames = 0

    def feed(self, block: NDArray[np.float64]) -> None:
        """Hear (2, frames)."""
        _add_up(block, self._sums, self._runs)
        self.frames += block.shape[1]

    @property
    def correlation(self) -> float | None:
        """−1 … +1 over all that was heard; None where a side is silent."""
        return correlation(*self._sums[:3])

    @property
    def dc_offset(self) -> list[float]:
        """Mean of left and right, linear."""
        return [float(total) / max(self.frames, 1) for total in self._sums[3:5]]

    @property
    def sample_peak_dbfs(self) -> float:
        return gain_to_db(float(self._sums[5:].max()))

    def clipped_samples(self, channels: int = 2) -> int:
        """Samples in runs of at least three at full scale, all channels together."""
        return int(self._runs[:channels, 1].sum())


def correlation(ll: float, rr: float, lr: float) -> float | None:
    """Correlation of two sides from their energies and their product; None where a side is silent."""
    both = (ll * rr) ** 0.5
    return float(min(1.0, max(-1.0, lr / both))) if both > 1e-20 else None
