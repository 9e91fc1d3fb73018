"""Level detection, static curves and smoothing of gain reduction, in dB."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from tin_kettle.core.dsp.compile import kernel
from tin_kettle.core.dsp.decibels import DB_PER_OCTAVE, log2

_POWER_FLOOR = 1e-20
SETTLED_DB = 1e-9
"""Reductions below this are none: a decay ends instead of going on for ever."""


def one_pole(time_ms: float, rate_hz: float) -> float:
    """Share of the distance that a one-pole follower covers in a sample: 63 % after ``time_ms``."""
    return -math.expm1(-1000.0 / (time_ms * rate_hz))


@kernel("void(float64[:, ::1], float64[:, ::1], float64, float64[::1])")
def mean_square_db(
    signal: NDArray[np.float64], level_db: NDArray[np.float64], share: float, state: NDArray[np.float64]
) -> None:
    """Level of a one-pole mean square, (2, frames); ``state`` (2,) holds the two mean squares."""
    for channel in range(2):
        x = signal[channel]
        y = level_db[channel]
        mean = state[channel]
        for i in range(x.shape[0]):
            mean += share * (x[i] * x[i] - mean)
            y[i] = mean
        state[channel] = mean if mean > _POWER_FLOOR else 0.0
        for i in range(x.shape[0]):
            y[i] = 0.5 * DB_PER_OCTAVE * log2(max(y[i], _POWER_FLOOR))


@kernel("void(float64[:, ::1], float64)")
def link_levels(level: NDArray[np.float64], link: float) -> None:
    """In place: own + link·(loudest − own)."""
    a = level[0]
    b = level[1]
    for i in range(a.shape[0]):
        loudest = max(a[i], b[i])
        a[i] += link * (loudest - a[i])
        b[i] += link * (loudest - b[i])


@kernel("void(float64[:, ::1], float64[:, ::1], float64, float64, float64, float64)")
def compression_db(
    level_db: NDArray[np.float64],
    target_db: NDArray[np.float64],
    threshold_db: float,
    ratio: float,
    knee_db: float,
    range_db: float,
) -> None:
    """Static curve: the gain in dB (0 … −range) that each level asks for; the knee is quadratic and centred."""
    slope = 1.0 / ratio - 1.0
    half = 0.5 * knee_db
    bend = slope / (2.0 * knee_db) if knee_db > 0.0 else 0.0
    for channel in range(2):
        x = level_db[channel]
        y = target_db[channel]
        for i in range(x.shape[0]):
            over = x[i] - threshold_db
            inside = min(max(over + half, 0.0), knee_db)
            y[i] = max(bend * inside * inside + slope * max(over - half, 0.0), -range_db)


@kernel("void(float64[:, ::1], float64, float64, float64, float64, float64[:, ::1])")
def attack_programme(
    gain_db: NDArray[np.float64],
    attack: float,
    release: float,
    rise: float,
    fall: float,
    state: NDArray[np.float64],
) -> None:
    """Release that follows the programme, in place.

    With work w = −gain and the lasting work s: s goes towards the target by ``rise`` or ``fall``; w goes up to the
    target by ``attack`` and down to max(target, s) by ``release``. After a single hit s is small and the gain is back
    quickly; after a loud passage it comes back as slowly as s falls.

    Args:
        gain_db: (2, frames), target in, smoothed out.
        attack, release, rise, fall: shares a sample.
        state: (at least 2, 2), row 0 the work, row 1 the lasting work, dB.
    """
    for channel in range(2):
        x = gain_db[channel]
        work = state[0, channel]
        lasting = state[1, channel]
        for i in range(x.shape[0]):
            target = -x[i]
            lasting += (target - lasting) * (rise if target > lasting else fall)
            if target > work:
                work += attack * (target - work)
            else:
                work += release * (max(target, min(lasting, work)) - work)
            if lasting < SETTLED_DB:
                lasting = 0.0
            if work < SETTLED_DB:
                work = 0.0
            x[i] = -work
        state[0, channel] = work
        state[1, channel] = lasting


@kernel("void(float64[:, ::1], float64, float64, float64, float64, float64[:, ::1])")
def attack_optical(
    gain_db: NDArray[np.float64],
    attack: float,
    quick: float,
    slow: float,
    memory: float,
    state: NDArray[np.float64],
) -> None:
    """Two-stage recovery like that of a lit resistor, in place.

    The work is the mean of two cells. Both take hold by ``attack``; the first lets go by ``quick``, the second by a
    share between ``quick`` and ``slow``: the more and the longer the work so far (a one-pole mean by ``memory``, full
    at 6 dB), the slower.

    Args:
        gain_db: (2, frames), target in, smoothed out.
        attack, quick, slow, memory: shares a sample.
        state: (at least 3, 2), the two cells and the remembered work, dB.
    """
    for channel in range(2):
        x = gain_db[channel]
        first = state[0, channel]
        second = state[1, channel]
        past = state[2, channel]
        for i in range(x.shape[0]):
            target = -x[i]
            past += memory * (target - past)
            tired = min(past * (1.0 / 6.0), 1.0)
            first += (target - first) * (attack if target > first else quick)
            second += (target - second) * (attack if target > second else quick + tired * (slow - quick))
            if first < SETTLED_DB:
                first = 0.0
            if second < SETTLED_DB:
                second = 0.0
            x[i] = -0.5 * (first + second)
        state[0, channel] = first
        state[1, channel] = second
        state[2, channel] = past if past > SETTLED_DB else 0.0


@kernel("void(float64[:, ::1], float64, float64, float64[::1])")
def attack_release(gain_db: NDArray[np.float64], attack: float, release: float, state: NDArray[np.float64]) -> None:
    """One pole in dB, in place: ``attack`` while the target is below the present gain, else ``release``.

    Args:
        gain_db: (2, frames), target in, smoothed out.
        attack, release: shares a sample (:func:`one_pole`).
        state: (2,) present gain in dB.
    """
    a = gain_db[0]
    b = gain_db[1]
    gain_a = state[0]
    gain_b = state[1]
    for i in range(a.shape[0]):
        step_a = a[i] - gain_a
        step_b = b[i] - gain_b
        gain_a += step_a * (attack if step_a < 0.0 else release)
        gain_b += step_b * (attack if step_b < 0.0 else release)
        if gain_a > -SETTLED_DB:
            gain_a = 0.0
        if gain_b > -SETTLED_DB:
            gain_b = 0.0
        a[i] = gain_a
        b[i] = gain_b
    state[0] = gain_a
    state[1] = gain_b
