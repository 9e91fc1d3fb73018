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
def _stepped(i: int, w: float, a1: float, m0: float, m1: float, m2: float, made: NDArray[np.float64]) -> None:
    """One sample's weights of the two integrators and of what comes, for their next values and for the output.

    With a2 = w·a1 and a3 = w·a2, the filter's v1 = a1·l1 + a2·(x − l2) and v2 = l2 + a2·l1 + a3·(x − l2) put in.
    """
    a2 = w * a1
    a3 = w * a2
    made[0, i] = 2.0 * a1 - 1.0
    made[1, i] = 2.0 * a2
    made[2, i] = 1.0 - 2.0 * a3
    made[3, i] = m1 * a1 + m2 * a2
    made[4, i] = m2 * (1.0 - a3) - m1 * a2
    made[5, i] = m0 + m1 * a2 + m2 * a3


@inline
def _bell(
    gains: NDArray[np.float64], scale: float, rest: float, w: float, still: float, made: NDArray[np.float64]
) -> None:
    for i in range(gains.shape[0]):
        a = exp2(gains[i] * scale + rest)
        # both divided by A: 1 + g·(g + k) with k = 1/(q·A)
        _stepped(i, w, a / (a * (1.0 + w * w) + w * still), 1.0, still * (a - 1.0 / a), 0.0, made)


@inline
def _low_shelf(
    gains: NDArray[np.float64], scale: float, rest: float, w: float, still: float, made: NDArray[np.float64]
) -> None:
    for i in range(gains.shape[0]):
        root = exp2(0.5 * (gains[i] * scale + rest))
        a = root * root
        g = w / root
        _stepped(i, g, 1.0 / (1.0 + g * (g + still)), 1.0, still * (a - 1.0), a * a - 1.0, made)


@inline
def _high_shelf(
    gains: NDArray[np.float64], scale: float, rest: float, w: float, still: float, made: NDArray[np.float64]
) -> None:
    for i in range(gains.shape[0]):
        root = exp2(0.5 * (gains[i] * scale + rest))
        a = root * root
        g = w * root
        _stepped(i, g, 1.0 / (1.0 + g * (g + still)), a * a, still * (1.0 - a) * a, 1.0 - a * a, made)


@kernel("void(float64[:, ::1], int64, int64, float64, float64, float64[::1], float64, float64, float64[:, ::1])")
def moving_section(
    block: NDArray[np.float64],
    rows: int,
    shape: int,
    w: float,
    q: float,
    gain_db: NDArray[np.float64],
    share: float,
    rest_db: float,
    state: NDArray[np.float64],
) -> None:
    """Filter in place; where the gain is 0 dB the rows are given back bit for bit.

    Args:
        block, rows: (2, frames), of which the first or both are filtered.
        shape: ``BELL``, ``LOW_SHELF`` or ``HIGH_SHELF``.
        w: tan(π·hz/rate).
        gain_db, share, rest_db: its gain is this much of the first, (frames,), and the last.
        state: (2, 2) the integrators of each row.
    """
    l1, l2, r1, r2 = state[0, 0], state[0, 1], state[1, 0], state[1, 1]
    scale = share / (2.0 * DB_PER_OCTAVE)
    rest = rest_db / (2.0 * DB_PER_OCTAVE)
    still = 1.0 / q
    # weights first, many at a time; only the integrators have to wait for each other
    made = np.empty((6, _CHUNK))
    kept, moved, held, from_first, from_second, through = made[0], made[1], made[2], made[3], made[4], made[5]
    for start in range(0, gain_db.shape[0], _CHUNK):
        x = block[0, start : start + _CHUNK]
        y = block[1, start : start + _CHUNK]
        gains = gain_db[start : start + _CHUNK]
        if shape == BELL:
            _bell(gains, scale, rest, w, still, made)
        elif shape == LOW_SHELF:
            _low_shelf(gains, scale, rest, w, still, made)
        else:
            _high_shelf(gains, scale, rest, w, still, made)
        if rows == 2:
            for i in range(gains.shape[0]):
                u = x[i]
                v = y[i]
                x[i] = (through[i] * u + from_first[i] * l1) + from_second[i] * l2
                y[i] = (through[i] * v + from_first[i] * r1) + from_second[i] * r2
                l = moved[i] * (u - l2) + kept[i] * l1
                l2 = (u + moved[i] * l1) + held[i] * (l2 - u)
                l1 = l
                r = moved[i] * (v - r2) + kept[i] * r1
                r2 = (v + moved[i] * r1) + held[i] * (r2 - v)
                r1 = r
        else:
            for i in range(gains.shape[0]):
                u = x[i]
                x[i] = (through[i] * u + from_first[i] * l1) + from_second[i] * l2
                l = moved[i] * (u - l2) + kept[i] * l1
                l2 = (u + moved[i] * l1) + held[i] * (l2 - u)
                l1 = l
        if abs(l1) + abs(l2) < FLUSH:
            l1 = 0.0
            l2 = 0.0
        if abs(r1) + abs(r2) < FLUSH:
            r1 = 0.0
            r2 = 0.0
    state[0, 0], state[0, 1], state[1, 0], state[1, 1] = l1, l2, r1, r2


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
