"""The limiter's time course: the highest demand of a window ahead, its release, and smoothing that keeps it.

Reductions are positive dB. A sliding maximum over ``ahead`` frames followed by means over ``first`` and
``second`` frames with first + second − 2 ≤ ahead never gives less than the demand at the sample itself.
The means are running sums of whole numbers: exact, without drift, the same at any block size.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from tin_kettle.core.dsp.compile import kernel
from tin_kettle.core.dsp.decibels import DB_PER_OCTAVE, log2
from tin_kettle.core.dsp.dynamics import SETTLED_DB

STEPS_PER_DB = float(1 << 32)


@kernel("void(float64[::1], float64[::1], float64[::1])")
def demand_db(peak: NDArray[np.float64], demand: NDArray[np.float64], ceiling: NDArray[np.float64]) -> None:
    """Reduction in dB that brings each peak (linear) to its ceiling; none below it."""
    for i in range(peak.shape[0]):
        # a hair more than asked keeps the rounding of log and exponential below the ceiling
        demand[i] = DB_PER_OCTAVE * log2(peak[i] / ceiling[i]) + 1e-9 if peak[i] > ceiling[i] else 0.0


@kernel("void(float64[::1], float64[::1], int64)")
def sliding_maximum(values: NDArray[np.float64], scratch: NDArray[np.float64], window: int) -> None:
    """In place: ``values[i]`` becomes the maximum of ``values[i : i + window]``, by doubling.

    The last ``window − 1`` results are of shorter windows and are not to be used. ``scratch`` is as long.
    """
    n = values.shape[0]
    source = values
    target = scratch
    done = 1
    while done < window:
        step = min(done, window - done)
        ahead = source[step:]
        for i in range(n - step):
            target[i] = max(source[i], ahead[i])
        for i in range(n - step, n):
            target[i] = source[i]
        source, target = target, source
        done += step
    for i in range(n):  # an odd number of steps ends in the scratch array
        values[i] = source[i]


@kernel("void(float64[::1], int64[::1], float64[::1], float64, float64, boolean, float64[::1])")
def release_db(
    demand: NDArray[np.float64],
    steps: NDArray[np.int64],
    release: NDArray[np.float64],
    slow_rise: float,
    slow_fall: float,
    automatic: bool,
    state: NDArray[np.float64],
) -> None:
    """In place: rise at once, fall by one pole towards the demand or, when automatic, towards the lasting work.

    The lasting work is a one-pole mean of the demand (``slow_rise`` up, ``slow_fall`` down): after a single
    peak the gain is back quickly, after a loud passage it comes back slowly.

    Args:
        demand: (frames,) dB.
        steps: borders of the stretches over which each ``release`` holds; shares a sample, as the other two.
        state: (2,) present reduction and lasting work.
    """
    now = state[0]
    lasting = state[1]
    for s in range(release.shape[0]):
        share = release[s]
        part = demand[steps[s] : steps[s + 1]]
        for i in range(part.shape[0]):
            d = part[i]
            floor = d
            if automatic:
                lasting += (d - lasting) * (slow_rise if d > lasting else slow_fall)
                if lasting < SETTLED_DB:
                    lasting = 0.0
                floor = max(d, lasting)
            now = d if d >= now else now + share * (min(floor, now) - now)
            if now < SETTLED_DB:
                now = 0.0
            part[i] = now
    state[0] = now
    state[1] = lasting


@kernel("void(float64[::1], int64[::1], int64[::1], int64, int64[::1])")
def mean_pair(
    values: NDArray[np.float64],
    first: NDArray[np.int64],
    second: NDArray[np.int64],
    frames: int,
    sums: NDArray[np.int64],
) -> None:
    """In place: two running means over the lengths of ``first`` and ``second`` (past values, oldest at [0]).

    ``sums`` (2 + 2,) holds both sums and both ring positions.
    """
    a = first.shape[0]
    b = second.shape[0]
    sum_a = sums[0]
    sum_b = sums[1]
    at_a = sums[2]
    at_b = sums[3]
    share_a = 1.0 / a
    scale_b = 1.0 / (b * STEPS_PER_DB)
    for i in range(frames):
        value = np.int64(np.ceil(values[i] * STEPS_PER_DB))
        sum_a += value - first[at_a]
        first[at_a] = value
        at_a = at_a + 1 if at_a + 1 < a else 0
        # rounding up keeps the mean from falling below what every value in it asks for
        mean = np.int64(np.ceil(sum_a * share_a))
        sum_b += mean - second[at_b]
        second[at_b] = mean
        at_b = at_b + 1 if at_b + 1 < b else 0
        values[i] = sum_b * scale_b
    sums[0] = sum_a
    sums[1] = sum_b
    sums[2] = at_a
    sums[3] = at_b
