"""Level detection, static curves and smoothing of gain reduction, in dB.

Values may move: ``steps`` (count + 1,) are the borders of the stretches over which they hold, the first 0 and the last
the number of frames, and every other array has a row for each stretch.
"""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from tin_kettle.core.dsp.compile import inline, kernel
from tin_kettle.core.dsp.decibels import DB_PER_OCTAVE, FLOOR, log2

_POWER_FLOOR = 1e-20
SETTLED_DB = 1e-9
"""Reductions below this are none: a decay ends instead of going on for ever."""
SILENT_DB = 1e-14
"""The same where it is looked at now and then, and must not depend on when."""
_STRIDE = 128
_CHUNK = 512
SOFT_MS = 0.5
"""Width of the window that takes ripples out of a gain: half of this is the delay it costs."""


@inline
def one_pole(time_ms: float, rate_hz: float) -> float:
    """Share of the distance that a one-pole follower covers in a sample: 63 % after ``time_ms``."""
    return -math.expm1(-1000.0 / (time_ms * rate_hz))


def one_poles(times_ms: NDArray[np.float64], rate_hz: float) -> NDArray[np.float64]:
    """:func:`one_pole` of every time."""
    return np.asarray(-np.expm1(-1000.0 / (times_ms * rate_hz)))


@kernel("void(float64[:, ::1], float64[::1], float64, float64, float64[::1], float64[:, ::1], float64[:, ::1])")
def compressor_settings(
    values: NDArray[np.float64],
    releases: NDArray[np.float64],
    memory_ms: float,
    rate_hz: float,
    mean: NDArray[np.float64],
    shares: NDArray[np.float64],
    curves: NDArray[np.float64],
) -> None:
    """What the kernels of a compressor go by, from what its user sets.

    Args:
        values: (steps, 7) times of mean, attack and release in ms, then threshold, ratio, knee and range.
        releases: (releases,) times that hang on the release, in shares of it.
        mean: (steps,) out, a share a sample (:func:`one_pole`).
        shares: (steps, releases + 2) out, of attack, of every release and of the memory, shares a sample.
        curves: (steps, 4) out, for :func:`compression_db`.
    """
    for s in range(values.shape[0]):
        mean_ms, attack_ms, release_ms, threshold_db, ratio, knee_db, range_db = values[s]
        mean[s] = one_pole(mean_ms, rate_hz)
        shares[s, 0] = one_pole(attack_ms, rate_hz)
        for i in range(releases.shape[0]):
            shares[s, 1 + i] = one_pole(releases[i] * release_ms, rate_hz)
        shares[s, 1 + releases.shape[0]] = one_pole(memory_ms, rate_hz)
        curves[s, 0] = threshold_db
        curves[s, 1] = 1.0 / ratio - 1.0
        curves[s, 2] = knee_db
        curves[s, 3] = range_db


@kernel("void(float64[:, ::1], float64[:, ::1])")
def peak_levels(signal: NDArray[np.float64], level_db: NDArray[np.float64]) -> None:
    """20·log10|x| of every sample; silence reads −200 dB.

    Args:
        signal: (2, frames).
        level_db: out; (2, frames), each row its own, or (1, frames), the louder of both.
    """
    a = signal[0]
    b = signal[1]
    if level_db.shape[0] == 1:
        y = level_db[0]
        for i in range(a.shape[0]):
            y[i] = DB_PER_OCTAVE * log2(max(max(abs(a[i]), abs(b[i])), FLOOR))
        return
    for channel in range(2):
        x = signal[channel]
        y = level_db[channel]
        for i in range(x.shape[0]):
            y[i] = DB_PER_OCTAVE * log2(max(abs(x[i]), FLOOR))


@kernel("void(float64[:, ::1], float64[:, ::1], int64[::1], float64[::1], float64[::1])")
def mean_square_levels(
    signal: NDArray[np.float64],
    level_db: NDArray[np.float64],
    steps: NDArray[np.int64],
    share: NDArray[np.float64],
    state: NDArray[np.float64],
) -> None:
    """10·log10 of a one-pole mean square of every sample.

    Args:
        signal, level_db: as in :func:`peak_levels`.
        steps, share: of the distance that the mean covers in a sample.
        state: (2,) the two mean squares.
    """
    mean_a = state[0]
    mean_b = state[1]
    linked = level_db.shape[0] == 1
    for s in range(share.shape[0]):
        # views: an index that might be negative would keep the loops from vectorising
        a = signal[0, steps[s] : steps[s + 1]]
        b = signal[1, steps[s] : steps[s + 1]]
        first = level_db[0, steps[s] : steps[s + 1]]
        last = level_db[level_db.shape[0] - 1, steps[s] : steps[s + 1]]
        taken = share[s]
        kept = 1.0 - taken
        for i in range(a.shape[0]):
            mean_a = kept * mean_a + taken * (a[i] * a[i])
            mean_b = kept * mean_b + taken * (b[i] * b[i])
            last[i] = mean_b
            first[i] = max(mean_a, mean_b) if linked else mean_a
    state[0] = mean_a if mean_a > _POWER_FLOOR else 0.0
    state[1] = mean_b if mean_b > _POWER_FLOOR else 0.0
    for channel in range(level_db.shape[0]):
        y = level_db[channel]
        for i in range(y.shape[0]):
            y[i] = 0.5 * DB_PER_OCTAVE * log2(max(y[i], _POWER_FLOOR))


@kernel("void(float64[:, ::1], int64[::1], float64[::1])")
def link_levels(level: NDArray[np.float64], steps: NDArray[np.int64], link: NDArray[np.float64]) -> None:
    """In place: own + link·(loudest − own)."""
    for s in range(link.shape[0]):
        a = level[0, steps[s] : steps[s + 1]]
        b = level[1, steps[s] : steps[s + 1]]
        share = link[s]
        for i in range(a.shape[0]):
            loudest = max(a[i], b[i])
            a[i] += share * (loudest - a[i])
            b[i] += share * (loudest - b[i])


@inline
def asked(
    x: NDArray[np.float64],
    way: float,
    threshold_db: float,
    slope: float,
    knee_db: float,
    range_db: float,
    y: NDArray[np.float64],
) -> None:
    """Into ``y`` the gain, −range … 0 dB, that ``way`` · ``x`` dB asks for; both (frames,)."""
    half = 0.5 * knee_db
    bend = slope / (2.0 * knee_db) if knee_db > 0.0 else 0.0
    for i in range(x.shape[0]):
        over = way * x[i] - threshold_db
        inside = min(max(over + half, 0.0), knee_db)
        y[i] = max(bend * inside * inside + slope * max(over - half, 0.0), -range_db)


@kernel("void(float64[:, ::1], int64[::1], float64[:, ::1])")
def compression_db(
    level_db: NDArray[np.float64],
    steps: NDArray[np.int64],
    curves: NDArray[np.float64],
) -> None:
    """Static curve, in place: the gain in dB (0 … −range) that a level asks for; the knee is quadratic and centred.

    Args:
        level_db: (rows, frames), levels in, gains out.
        steps, curves: (steps, 4) of threshold, slope (dB of gain for a dB above it, −1 … 0 where it compresses), knee
            and range.
    """
    for s in range(curves.shape[0]):
        c = curves[s]
        for channel in range(level_db.shape[0]):
            x = level_db[channel, steps[s] : steps[s + 1]]
            asked(x, 1.0, c[0], c[1], c[2], c[3], x)


@kernel("void(float64[:, ::1], int64[::1], float64[:, ::1], float64[:, ::1])")
def attack_programme(
    gain_db: NDArray[np.float64],
    steps: NDArray[np.int64],
    shares: NDArray[np.float64],
    state: NDArray[np.float64],
) -> None:
    """Release that follows the programme, in place.

    With work w = −gain and the lasting work s: s goes towards the target by ``rise`` or ``fall``; w goes up to the
    target by ``attack`` and down to max(target, s) by ``release``. After a single hit s is small and the gain is back
    quickly; after a loud passage it comes back as slowly as s falls.

    Args:
        gain_db: (1 or 2, frames), target in, smoothed out.
        steps, shares: (steps, at least 4) of attack, release, rise and fall, shares a sample.
        state: (at least 2, 2), row 0 the work, row 1 the lasting work, dB.
    """
    for channel in range(gain_db.shape[0]):
        work = state[0, channel]
        lasting = state[1, channel]
        for s in range(shares.shape[0]):
            x = gain_db[channel, steps[s] : steps[s + 1]]
            attack, release, rise, fall = shares[s, 0], shares[s, 1], shares[s, 2], shares[s, 3]
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


@kernel("void(float64[:, ::1], int64[::1], float64[:, ::1], float64[:, ::1])")
def attack_optical(
    gain_db: NDArray[np.float64],
    steps: NDArray[np.int64],
    shares: NDArray[np.float64],
    state: NDArray[np.float64],
) -> None:
    """Two-stage recovery like that of a lit resistor, in place.

    The work is the mean of two cells. Both take hold by ``attack``; the first lets go by ``quick``, the second by a
    share between ``quick`` and ``slow``: the more and the longer the work so far (a one-pole mean by ``memory``, full
    at 6 dB), the slower.

    Args:
        gain_db: (1 or 2, frames), target in, smoothed out.
        steps, shares: (steps, at least 4) of attack, quick, slow and memory, shares a sample.
        state: (at least 3, 2), the two cells and the remembered work, dB.
    """
    for channel in range(gain_db.shape[0]):
        first = state[0, channel]
        second = state[1, channel]
        past = state[2, channel]
        for s in range(shares.shape[0]):
            x = gain_db[channel, steps[s] : steps[s + 1]]
            attack, quick, slow, memory = shares[s, 0], shares[s, 1], shares[s, 2], shares[s, 3]
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


@kernel("void(float64[:, ::1], int64[::1], float64[:, ::1], float64[::1])")
def attack_release(
    gain_db: NDArray[np.float64], steps: NDArray[np.int64], shares: NDArray[np.float64], state: NDArray[np.float64]
) -> None:
    """One pole in dB, in place: ``attack`` while the target is below the present gain, else ``release``.

    The two steps end on the same side of the gain, so that the lower end is the right one where attack is the
    quicker, else the higher: no branch waits for the sample before.

    Args:
        gain_db: (1 or 2, frames), target in, smoothed out.
        steps, shares: (steps, at least 2) of attack and release, shares a sample (:func:`one_pole`).
        state: (2,) present gain in dB.
    """
    for channel in range(gain_db.shape[0]):
        gain = state[channel]
        for s in range(shares.shape[0]):
            attack, release = shares[s, 0], shares[s, 1]
            keep_attack = 1.0 - attack
            keep_release = 1.0 - release
            whole = gain_db[channel, steps[s] : steps[s + 1]]
            for start in range(0, whole.shape[0], _STRIDE):
                x = whole[start : start + _STRIDE]
                if attack >= release:
                    for i in range(x.shape[0]):
                        gain = min(keep_attack * gain + attack * x[i], keep_release * gain + release * x[i])
                        x[i] = gain
                else:
                    for i in range(x.shape[0]):
                        gain = max(keep_attack * gain + attack * x[i], keep_release * gain + release * x[i])
                        x[i] = gain
                if gain > -SILENT_DB:
                    gain = 0.0
        state[channel] = gain


def soft_edge(rate_hz: float) -> NDArray[np.float64]:
    """Weights of :func:`soften`: a raised cosine, ``SOFT_MS`` wide; their number is a multiple of eight, and one."""
    eighths = max(round(0.000125 * SOFT_MS * rate_hz), 1)
    weights = np.hanning(8 * eighths + 3)[1:-1]
    return np.asarray(weights / weights.sum())


@kernel("void(float64[:, ::1], float64[::1], float64[:, ::1])")
def soften(gain_db: NDArray[np.float64], weights: NDArray[np.float64], state: NDArray[np.float64]) -> None:
    """Weighted mean over a short window, in place, late by half of it.

    The detector reads single samples, whose logarithm has ripples at every multiple of a tone's frequency; beyond half
    the rate they fold back. What follows the sound this quickly is no work but noise: this takes it out.

    Args:
        gain_db: (rows, frames).
        weights: (taps,), symmetric, from :func:`soft_edge`.
        state: (at least rows, taps − 1), the gains before.
    """
    past = state.shape[1]
    x = np.empty(past + _CHUNK)
    for channel in range(gain_db.shape[0]):
        x[:past] = state[channel]
        for start in range(0, gain_db.shape[1], _CHUNK):
            y = gain_db[channel, start : start + _CHUNK]
            run = y.shape[0]
            x[past : past + run] = y
            middle = x[past // 2 :]
            most = weights[past // 2]
            for i in range(run):
                y[i] = most * middle[i]
            # four taps a pass, and their mirror images, keep the sums in registers
            for tap in range(0, past // 2, 4):
                a = x[tap:]
                b = x[past - tap - 3 :]
                w0, w1, w2, w3 = weights[tap], weights[tap + 1], weights[tap + 2], weights[tap + 3]
                for i in range(run):
                    y[i] += (w0 * (a[i] + b[i + 3]) + w1 * (a[i + 1] + b[i + 2])) + (
                        w2 * (a[i + 2] + b[i + 1]) + w3 * (a[i + 3] + b[i])
                    )
            for i in range(past):
                x[i] = x[run + i]
        state[channel] = x[:past]


@kernel("void(float64[:, ::1], float64[:, ::1])")
def keep_stronger(move_db: NDArray[np.float64], strongest_db: NDArray[np.float64]) -> None:
    """Into ``strongest_db`` wherever ``move_db`` is farther from 0 dB; (1 or 2, frames), one row counts for both."""
    for row in range(strongest_db.shape[0]):
        x = move_db[min(row, move_db.shape[0] - 1)]
        y = strongest_db[row]
        for i in range(y.shape[0]):
            y[i] = x[i] if abs(x[i]) > abs(y[i]) else y[i]
