"""The gauges' measurements of what is heard, block by block."""

from __future__ import annotations

from typing import Any, Self

import numpy as np
from numpy.typing import NDArray

from tin_kettle.core.dsp.compile import kernel
from tin_kettle.core.dsp.decibels import gain_to_db
from tin_kettle.core.dsp.state_copy import twin_of
from tin_kettle.core.measure import loudness
from tin_kettle.core.measure.loudness import MOMENTARY_SLOTS, SHORT_TERM_SLOTS, SLOTS_PER_S, LoudnessMeter
from tin_kettle.core.measure.peaks import TruePeakMeter, correlation

KEPT_SLOTS = 3000
"""Half a minute: what the running loudness looks back on."""
NEAR_SLOTS = 10
SCOPE_POINTS = 64
CORRELATION_S = 0.3


class LiveMeter:
    """Levels, loudness, true peak, correlation and image of one stream; forks with the graph."""

    def __init__(self, rate_hz: float) -> None:
        self._rate_hz = rate_hz
        self._loudness = LoudnessMeter(rate_hz)
        self._true_peak = TruePeakMeter()
        self._energies = np.zeros(3)
        self._frames = 0
        self._since = 0

    def fork(self) -> Self:
        """A copy that goes on from the same state."""
        twin = twin_of(self)
        twin._loudness, twin._true_peak = self._loudness.fork(), self._true_peak.fork()
        twin._energies = self._energies.copy()
        return twin

    def feed(self, block: NDArray[np.float64]) -> dict[str, Any]:
        """Hear (2, frames); returns the gauges' values, levels in dB."""
        self._frames += block.shape[1]
        self._loudness.feed(block)
        self._loudness.forget(KEPT_SLOTS)
        peak = self._true_peak.feed(block)
        heard, step = np.zeros(7), max(1, block.shape[1] // SCOPE_POINTS)
        scope = np.empty((2, -(-block.shape[1] // step)), dtype=np.float32)
        _gauge(np.ascontiguousarray(block), heard, scope, step)
        keep = np.exp(-block.shape[1] / (CORRELATION_S * self._rate_hz))
        self._energies = keep * self._energies + (1.0 - keep) * heard[4:]
        return {
            "levels_db": np.array([round(gain_to_db(peak), 2) for peak in heard[:4].tolist()], dtype=np.float32),
            "peak_dbtp": round(gain_to_db(float(peak.max())), 2),
            "true_peak_dbtp": round(self._true_peak.dbtp, 2),
            "momentary_lufs": _rounded(self._loudness.last_lufs(MOMENTARY_SLOTS)),
            "short_term_lufs": _rounded(self._loudness.last_lufs(SHORT_TERM_SLOTS)),
            "correlation": _rounded(correlation(*self._energies)),
            "scope": scope,
        }

    def look_back_from_here(self) -> None:
        """What was heard before is no part of the running loudness: something has changed."""
        self._since = self._frames

    def running_lufs(self) -> float | None:
        """Gated loudness of the last half minute, or of what was heard since something changed."""
        slots = int((self._frames - self._since) / self._rate_hz * SLOTS_PER_S)
        heard = self._loudness.slots()
        return loudness.integrated_lufs(loudness.stereo_energy(heard[max(0, len(heard) - slots) :]))

    def near_lufs(self) -> float | None:
        """Loudness of the last tenth of a second, whatever was changed in it: a moving hand can be followed by that."""
        return self._loudness.last_lufs(NEAR_SLOTS)


def _rounded(value: float | None) -> float | None:
    return None if value is None else round(value, 2)


@kernel("void(float64[:, ::1], float64[::1], float32[:, ::1], int64)")
def _gauge(block: NDArray[np.float64], heard: NDArray[np.float64], scope: NDArray[np.float32], step: int) -> None:
    """Peaks of left, right, mid and side, then energies LL, RR, LR of (2, frames); mid and side of every ``step``."""
    for i in range(block.shape[1]):
        left, right = block[0, i], block[1, i]
        mid, side = 0.5 * (left + right), 0.5 * (left - right)
        heard[0] = max(heard[0], abs(left))
        heard[1] = max(heard[1], abs(right))
        heard[2] = max(heard[2], abs(mid))
        heard[3] = max(heard[3], abs(side))
        heard[4] += left * left
        heard[5] += right * right
        heard[6] += left * right
        if i % step == 0:
            scope[0, i // step] = mid
            scope[1, i // step] = side
