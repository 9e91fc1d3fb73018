"""The slow gain that brings a sound to its own long average."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from tin_kettle.core.dsp.compile import kernel
from tin_kettle.core.dsp.decibels import DB_PER_OCTAVE, log2

QUIETEST_DB = -70.0
"""Below this nothing is music."""
NEAR_DB, FAR_DB = 12.0, 24.0
"""So far below its average a sound still counts as a note to be raised, and from here on it is a rest."""
_POWER_FLOOR = 1e-20


@kernel("void(float64[:, ::1], float64, float64, float64, float64, float64[::1], float64[:, ::1])")
def levelling_db(
    signal: NDArray[np.float64],
    reach_db: float,
    quick: float,
    slow: float,
    smooth: float,
    state: NDArray[np.float64],
    out: NDArray[np.float64],
) -> None:
    """Gain, level and average of every sample, in dB.

    With p the mean power of both rows: the level is a one-pole mean of p by ``quick``, the average one by ``slow`` over
    all that is within 12 dB of it; both divide by the share of time that they have heard, so that they are right from
    the first note on. The gain goes by ``smooth`` to average − level within ±reach, and between 12 and 24 dB below the
    average to nothing: rests are not raised.

    Args:
        signal: (2, frames).
        quick, slow, smooth: shares a sample (:func:`one_pole`).
        state: (5,) level and its weight, average and its weight, gain in dB.
        out: (3, frames) gain, level, average.
    """
    level, level_weight, average, average_weight, gain = state[0], state[1], state[2], state[3], state[4]
    for i in range(signal.shape[1]):
        power = 0.5 * (signal[0, i] * signal[0, i] + signal[1, i] * signal[1, i])
        level += quick * (power - level)
        level_weight += quick * (1.0 - level_weight)
        level_db = 0.5 * DB_PER_OCTAVE * log2(max(level / level_weight, _POWER_FLOOR))
        average_db = level_db
        if average_weight > 0.0:
            average_db = 0.5 * DB_PER_OCTAVE * log2(max(average / average_weight, _POWER_FLOOR))
        if level_db > QUIETEST_DB and level_db > average_db - NEAR_DB:
            average += slow * (power - average)
            average_weight += slow * (1.0 - average_weight)
        below = average_db - level_db
        target = min(max(below, -reach_db), reach_db)
        if below > NEAR_DB:
            target *= max(0.0, (FAR_DB - below) / (FAR_DB - NEAR_DB))
        if level_db <= QUIETEST_DB:
            target = 0.0
        gain += smooth * (target - gain)
        if abs(gain) < 1e-9:
            gain = 0.0
        out[0, i] = gain
        out[1, i] = level_db
        out[2, i] = average_db
    state[0] = level if level > _POWER_FLOOR else 0.0
    state[1] = level_weight
    state[2] = average if average > _POWER_FLOOR else 0.0
    state[3] = average_weight
    state[4] = gain
