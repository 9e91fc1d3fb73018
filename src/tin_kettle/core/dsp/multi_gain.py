"""Static curves and smoothing of many gains at once, each with a curve and times of its own."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from tin_kettle.core.dsp.compile import kernel
from tin_kettle.core.dsp.dynamics import SILENT_DB, asked

_STRIDE = 128


@kernel("void(float64[:, ::1], float64[::1], float64[:, ::1], float64[:, ::1])")
def compression_rows(
    level_db: NDArray[np.float64],
    ways: NDArray[np.float64],
    curves: NDArray[np.float64],
    target_db: NDArray[np.float64],
) -> None:
    """:func:`tin_kettle.core.dsp.dynamics.compression_db` of many rows, each by a curve of its own.

    Args:
        level_db: (at least rows, frames).
        ways: (rows,) 1, or −1 where the curve is of the level turned over.
        curves: (rows, 4).
        target_db: (rows, frames) out.
    """
    for row in range(target_db.shape[0]):
        c = curves[row]
        asked(level_db[row], ways[row], c[0], c[1], c[2], c[3], target_db[row])


@kernel("void(float64[:, ::1], float64[:, ::1], float64[::1])")
def attack_release_rows(gain_db: NDArray[np.float64], shares: NDArray[np.float64], state: NDArray[np.float64]) -> None:
    """:func:`tin_kettle.core.dsp.dynamics.attack_release` of many rows, each with times of its own, in place.

    Every row waits for its sample before: four at once wait no longer than one.

    Args:
        gain_db: (rows, frames), targets in, smoothed out.
        shares: (rows, 2) of attack and release, shares a sample.
        state: (rows,) present gains in dB.
    """
    rows, frames = gain_db.shape
    quick = np.zeros((4, _STRIDE))
    slow = np.zeros((4, _STRIDE))
    out = np.empty((4, _STRIDE))
    gains = np.zeros(4)
    turned = np.ones(4)
    keeps = np.zeros((2, 4))
    for first in range(0, rows, 4):
        count = min(4, rows - first)
        for k in range(count):
            attack, release = shares[first + k, 0], shares[first + k, 1]
            keeps[0, k], keeps[1, k] = 1.0 - attack, 1.0 - release
            # the higher end is the lower one of what is turned over
            turned[k] = 1.0 if attack >= release else -1.0
            gains[k] = turned[k] * state[first + k]
        ka, kb, kc, kd = keeps[0, 0], keeps[0, 1], keeps[0, 2], keeps[0, 3]
        la, lb, lc, ld = keeps[1, 0], keeps[1, 1], keeps[1, 2], keeps[1, 3]
        qa, qb, qc, qd = quick[0], quick[1], quick[2], quick[3]
        sa, sb, sc, sd = slow[0], slow[1], slow[2], slow[3]
        oa, ob, oc, od = out[0], out[1], out[2], out[3]
        for start in range(0, frames, _STRIDE):
            run = min(_STRIDE, frames - start)
            for k in range(count):
                x = gain_db[first + k, start : start + run]
                attack, release = turned[k] * shares[first + k, 0], turned[k] * shares[first + k, 1]
                for i in range(run):
                    quick[k, i] = attack * x[i]
                    slow[k, i] = release * x[i]
            a, b, c, d = gains[0], gains[1], gains[2], gains[3]
            for i in range(run):
                a = min(ka * a + qa[i], la * a + sa[i])
                b = min(kb * b + qb[i], lb * b + sb[i])
                c = min(kc * c + qc[i], lc * c + sc[i])
                d = min(kd * d + qd[i], ld * d + sd[i])
                oa[i] = a
                ob[i] = b
                oc[i] = c
                od[i] = d
            gains[0], gains[1], gains[2], gains[3] = a, b, c, d
            for k in range(count):
                if gains[k] * turned[k] > -SILENT_DB:
                    gains[k] = 0.0
                x = gain_db[first + k, start : start + run]
                sign = turned[k]
                for i in range(run):
                    x[i] = sign * out[k, i]
        for k in range(count):
            state[first + k] = turned[k] * gains[k]
