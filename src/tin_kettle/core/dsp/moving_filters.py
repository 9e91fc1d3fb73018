"""Second-order filters whose gain moves with every sample.

Trapezoidal state-variable filters stay stable and quiet while their coefficients move (Zavalishin, *The Art of VA
Filter Design*, chapter 4; the weights of bell and shelves after Simper, *Linear Trapezoidal Integrated SVF*, 2013).
The bell is H(s) = (s² + s·A/Q + 1)/(s² + s/(A·Q) + 1) with A = 10^(gain/40), so that +g and −g cancel; a shelf reaches
half its dB at its frequency. Bilinear: near half the rate they are narrower than their analogue prototypes.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from tin_kettle.core.dsp.compile import inline, kernel
from tin_kettle.core.dsp.decibels import DB_PER_OCTAVE, exp2
from tin_kettle.core.dsp.svf import FLUSH

BELL, LOW_SHELF, HIGH_SHELF = 0, 1, 2
_CHUNK = 128


@inline
def _bell(gains: NDArray[np.float64], scale: float, w: float, still: float, made: NDArray[np.float64]) -> None:
    for i in range(gains.shape[0]):
        a = exp2(gains[i] * scale)
        # both divided by A: 1 + g·(g + k) with k = 1/(q·A)
        a1 = a / (a * (1.0 + w * w) + w * still)
        made[0, i] = a1
        made[1, i] = w * a1
        made[2, i] = w * w * a1
        made[3, i] = 1.0
        made[4, i] = still * (a - 1.0 / a)
        made[5, i] = 0.0


@inline
def _low_shelf(gains: NDArray[np.float64], scale: float, w: float, still: float, made: NDArray[np.float64]) -> None:
    for i in range(gains.shape[0]):
        root = exp2(0.5 * gains[i] * scale)
        a = root * root
        g = w / root
        a1 = 1.0 / (1.0 + g * (g + still))
        made[0, i] = a1
        made[1, i] = g * a1
        made[2, i] = g * g * a1
        made[3, i] = 1.0
        made[4, i] = still * (a - 1.0)
        made[5, i] = a * a - 1.0


@inline
def _high_shelf(gains: NDArray[np.float64], scale: float, w: float, still: float, made: NDArray[np.float64]) -> None:
    for i in range(gains.shape[0]):
        root = exp2(0.5 * gains[i] * scale)
        a = root * root
        g = w * root
        a1 = 1.0 / (1.0 + g * (g + still))
        made[0, i] = a1
        made[1, i] = g * a1
        made[2, i] = g * g * a1
        made[3, i] = a * a
        made[4, i] = still * (1.0 - a) * a
        made[5, i] = 1.0 - a * a


@kernel("void(float64[:, ::1], int64, int64, float64, float64, float64[::1], float64, float64[:, ::1])")
def moving_section(
    block: NDArray[np.float64],
    rows: int,
    shape: int,
    w: float,
    q: float,
    gain_db: NDArray[np.float64],
    share: float,
    state: NDArray[np.float64],
) -> None:
    """Filter in place; where the gain is 0 dB the rows are given back bit for bit.

    Args:
        block, rows: (2, frames), of which the first or both are filtered.
        shape: ``BELL``, ``LOW_SHELF`` or ``HIGH_SHELF``.
        w: tan(π·hz/rate).
        gain_db, share: (frames,) of which this much is its gain.
        state: (2, 2) the integrators of each row.
    """
    first_x, second_x, first_y, second_y = state[0, 0], state[0, 1], state[1, 0], state[1, 1]
    scale = share / (2.0 * DB_PER_OCTAVE)
    still = 1.0 / q
    # coefficients first, many at a time; only the integrators have to wait for each other
    made = np.empty((6, _CHUNK))
    for start in range(0, gain_db.shape[0], _CHUNK):
        x = block[0, start : start + _CHUNK]
        y = block[1, start : start + _CHUNK]
        gains = gain_db[start : start + _CHUNK]
        if shape == BELL:
            _bell(gains, scale, w, still, made)
        elif shape == LOW_SHELF:
            _low_shelf(gains, scale, w, still, made)
        else:
            _high_shelf(gains, scale, w, still, made)
        for i in range(gains.shape[0]):
            a1, a2, a3 = made[0, i], made[1, i], made[2, i]
            m0, m1, m2 = made[3, i], made[4, i], made[5, i]
            v3 = x[i] - second_x
            v1 = a1 * first_x + a2 * v3
            v2 = second_x + a2 * first_x + a3 * v3
            first_x = 2.0 * v1 - first_x
            second_x = 2.0 * v2 - second_x
            x[i] = m0 * x[i] + m1 * v1 + m2 * v2
            if rows == 2:
                v3 = y[i] - second_y
                v1 = a1 * first_y + a2 * v3
                v2 = second_y + a2 * first_y + a3 * v3
                first_y = 2.0 * v1 - first_y
                second_y = 2.0 * v2 - second_y
                y[i] = m0 * y[i] + m1 * v1 + m2 * v2
        if abs(first_x) + abs(second_x) < FLUSH:
            first_x = 0.0
            second_x = 0.0
        if abs(first_y) + abs(second_y) < FLUSH:
            first_y = 0.0
            second_y = 0.0
    state[0, 0], state[0, 1], state[1, 0], state[1, 1] = first_x, second_x, first_y, second_y


def shelf_response(
    shape: int, hz: float, q: float, gain_db: float, at_hz: NDArray[np.float64], rate_hz: float
) -> NDArray[np.complex128]:
    """What :func:`moving_section` does to a steady tone while its gain rests, (points,)."""
    a, w = 10.0 ** (gain_db / 40.0), np.tan(np.pi * hz / rate_hz)
    s = 1j * np.tan(np.pi * at_hz / rate_hz) / w
    if shape == BELL:
        return np.asarray((s * s + s * a / q + 1.0) / (s * s + s / (a * q) + 1.0))
    root = np.sqrt(a)
    if shape == LOW_SHELF:
        return np.asarray(a * (s * s + s * root / q + a) / (a * s * s + s * root / q + 1.0))
    return np.asarray(a * (a * s * s + s * root / q + 1.0) / (s * s + s * root / q + a))
