"""Second-order filters whose gain moves with every sample.

Trapezoidal state-variable filters stay stable and quiet while their coefficients move (Zavalishin, *The Art of VA
Filter Design*, chapter 4). What a section is at every gain that it can have stands in a table, so finely that what lies
between two rows is a straight line.
"""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from tin_kettle.core.dsp.compile import kernel
from tin_kettle.core.dsp.dynamic_curves import Shape, sections_by_gain
from tin_kettle.core.dsp.svf import FLUSH

ROW_DB = 0.25
"""Distance of two rows of a table at most."""
_CHUNK = 128


def gain_tables(
    shape: Shape, hz: float, q: float, gain_db: float, range_db: float, rate_hz: float
) -> NDArray[np.float64]:
    """Tables of a band's sections for :func:`moving_section`, (sections, rows, 6), from its gain to gain plus range.

    Args:
        shape, hz, q, rate_hz: as for :func:`tin_kettle.core.dsp.dynamic_curves.sections_by_gain`.
        gain_db: where it rests.
        range_db: how far it moves from there at most, up or down.
    """
    steps = max(math.ceil(abs(range_db) / ROW_DB), 1)
    gains_db = gain_db + range_db * np.arange(steps + 1) / steps
    g, k, c0, c1, c2 = sections_by_gain(shape, hz, q, gains_db, rate_hz).transpose(2, 1, 0)
    a1 = 1.0 / (1.0 + g * (g + k))
    a2 = g * a1
    a3 = g * a2
    m1, m2 = c1 - k * c0, c2 - c0
    # of the two integrators and of what comes: weights for their next values, and for the output
    weights = (2.0 * a1 - 1.0, 2.0 * a2, 1.0 - 2.0 * a3, m1 * a1 + m2 * a2, m2 * (1.0 - a3) - m1 * a2)
    return np.ascontiguousarray(np.stack([*weights, c0 + m1 * a2 + m2 * a3], axis=2))


@kernel("void(float64[:, ::1], int64, float64[:, ::1], float64[::1], float64, float64[:, ::1])")
def moving_section(
    block: NDArray[np.float64],
    rows: int,
    table: NDArray[np.float64],
    move_db: NDArray[np.float64],
    range_db: float,
    state: NDArray[np.float64],
) -> None:
    """Filter in place; where the gain is 0 dB the rows are given back bit for bit.

    Args:
        block, rows: (2, frames), of which the first or both are filtered.
        table: (rows of the table, 6) one section of :func:`gain_tables`.
        move_db, range_db: how far the gain has moved, (frames,), of how far it can; 0 where it cannot move.
        state: (2, 2) the integrators of each row.
    """
    l1, l2, r1, r2 = state[0, 0], state[0, 1], state[1, 0], state[1, 1]
    last = table.shape[0] - 1
    scale = last / range_db if range_db != 0.0 else 0.0
    # weights first, many at a time; only the integrators have to wait for each other
    made = np.empty((6, _CHUNK))
    kept, moved, held, from_first, from_second, through = made[0], made[1], made[2], made[3], made[4], made[5]
    for start in range(0, move_db.shape[0], _CHUNK):
        x = block[0, start : start + _CHUNK]
        y = block[1, start : start + _CHUNK]
        moves = move_db[start : start + _CHUNK]
        for i in range(moves.shape[0]):
            place = moves[i] * scale
            row = min(max(int(place), 0), last - 1)
            share = place - row
            for column in range(6):
                low = table[row, column]
                made[column, i] = low + share * (table[row + 1, column] - low)
        if rows == 2:
            for i in range(moves.shape[0]):
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
            for i in range(moves.shape[0]):
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
