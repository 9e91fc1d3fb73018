"""Levels in third-octave bands as they go on, for models of hearing: Butterworth filters of sixth order, smoothed."""

from __future__ import annotations

from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from tin_kettle.core.dsp.compile import kernel

STEPS_PER_S = 2000
CENTRES_HZ = 1000.0 * 10.0 ** (np.arange(-16, 12) / 10.0)
"""25 Hz to 12.5 kHz."""


@kernel("void(float64[:, ::1], float64[:, ::1], float64, int64, float64, float64[::1], float64[::1])")
def band_powers(
    block: NDArray[np.float64],
    sections: NDArray[np.float64],
    share: float,
    first: int,
    step: float,
    state: NDArray[np.float64],
    out: NDArray[np.float64],
) -> None:
    """Mean power of both sides through one band, smoothed three times, at every ``step`` frames.

    Args:
        block: (2, frames).
        sections: (3, 5) of b0, b1, b2, a1 and a2.
        share: of the distance that each smoothing covers in a sample.
        first: the number of the first value, of which each lies at ⌊number · step⌋ from the start of the song.
        state: (16,) six integrators a side, three smoothings, and the number of frames so far.
        out: (count,) values out.
    """
    z = state[:12]
    p, q, r = state[12], state[13], state[14]
    begun = int(state[15])
    told = 0
    due = int((first + told) * step) - begun
    for i in range(block.shape[1]):
        power = 0.0
        for side in range(2):
            x = block[side, i]
            for s in range(3):
                k = 6 * side + 2 * s
                y = sections[s, 0] * x + z[k]
                z[k] = sections[s, 1] * x - sections[s, 3] * y + z[k + 1]
                z[k + 1] = sections[s, 2] * x - sections[s, 4] * y
                x = y
            power += x * x
        p += share * (0.5 * power - p)
        q += share * (p - q)
        r += share * (q - r)
        if i == due and told < out.shape[0]:
            out[told] = r
            told += 1
            due = int((first + told) * step) - begun
    for k in range(12):
        if abs(z[k]) < 1e-25:
            z[k] = 0.0
    state[12], state[13], state[14] = p, q, r
    state[15] += block.shape[1]


@lru_cache
def band_sections(rate_hz: float) -> NDArray[np.float64]:
    """(28, 3, 5): Butterworth band-passes; bands that reach beyond half the rate let nothing through."""
    from scipy.signal import butter  # noqa: PLC0415  loads for a second

    made = np.zeros((CENTRES_HZ.size, 3, 5))
    for band, centre in enumerate(CENTRES_HZ):
        edges = centre * 10.0 ** (np.array([-1.0, 1.0]) / 20.0)
        if edges[1] < 0.499 * rate_hz:
            found = butter(3, edges, "bandpass", fs=rate_hz, output="sos")
            made[band] = found[:, [0, 1, 2, 4, 5]]
    return made


class ThirdOctaves:
    """Feeds on blocks and gives the mean power of both sides in every band, ``STEPS_PER_S`` values a second."""

    def __init__(self, rate_hz: float) -> None:
        self._step = rate_hz / STEPS_PER_S
        self._filters = band_sections(rate_hz)
        # smoothed by two thirds of a period, of 1 kHz at most (ISO 532-1)
        times_s = 2.0 / (3.0 * np.minimum(CENTRES_HZ, 1000.0))
        self._shares = -np.expm1(-1.0 / (times_s * rate_hz))
        self._states = np.zeros((CENTRES_HZ.size, 16))
        self._frames = 0

    def feed(self, block: NDArray[np.float64]) -> NDArray[np.float64]:
        """Hear (2, frames); returns the (28, values) that fall into them."""
        first = int(np.ceil(self._frames / self._step))
        self._frames += block.shape[1]
        powers = np.zeros((CENTRES_HZ.size, int(np.ceil(self._frames / self._step)) - first))
        whole = np.ascontiguousarray(block, dtype=np.float64)
        for band, state in enumerate(self._states):
            band_powers(whole, self._filters[band], self._shares[band], first, self._step, state, powers[band])
        return powers
