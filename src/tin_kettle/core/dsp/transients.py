"""Hits told apart from what follows them, and a gain for each."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from tin_kettle.core.dsp.compile import kernel
from tin_kettle.core.dsp.decibels import DB_PER_OCTAVE, log2

QUIETEST_DB = -70.0
"""What rises from below this rises from this."""
LEAST_DB, FULL_DB = 1.5, 4.5
"""A level counts as a hit from so far above its slow follower on, and wholly from there."""


@kernel("void(float64[:, ::1], float64, float64, float64, float64[::1], float64[::1], float64[::1], float64[:, ::1])")
def hits(
    signal: NDArray[np.float64],
    fall_db: float,
    rise: float,
    smooth: float,
    attack_db: NDArray[np.float64],
    body_db: NDArray[np.float64],
    state: NDArray[np.float64],
    out: NDArray[np.float64],
) -> None:
    """Gain and levels of every sample, in dB.

    The quick level is that of the louder side: it takes every peak at once and falls by ``fall_db`` a sample. The slow
    one rises to it by one pole in dB and falls with it. How far the quick one stands above says how much of a sample
    is a hit, from 0 at ``LEAST_DB`` to 1 at ``FULL_DB``; the gain lies as far from ``body_db`` to ``attack_db``.

    Args:
        signal: (2, frames).
        rise, smooth: shares a sample of the slow level and of the gain.
        attack_db, body_db: (frames,).
        state: (3,) quick level, slow level, share of a hit.
        out: (3, frames) gain, quick level, slow level.
    """
    quick, slow, share = state[0], state[1], state[2]
    for i in range(signal.shape[1]):
        peak = max(abs(signal[0, i]), abs(signal[1, i]))
        level = DB_PER_OCTAVE * log2(max(peak, 1e-4))
        quick = max(max(level, quick - fall_db), QUIETEST_DB)
        slow = min(slow + rise * (quick - slow), quick)
        above = (quick - slow - LEAST_DB) / (FULL_DB - LEAST_DB)
        share += smooth * (min(max(above, 0.0), 1.0) - share)
        out[0, i] = body_db[i] + share * (attack_db[i] - body_db[i])
        out[1, i] = quick
        out[2, i] = slow
    state[0] = quick
    state[1] = slow
    state[2] = share if share > 1e-12 else 0.0
