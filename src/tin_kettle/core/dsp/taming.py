"""What stands out of a spectrum, frame by frame: the cut of every bin."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from tin_kettle.core.dsp.compile import kernel

POWER_FLOOR = 1e-16


def edges(hz: NDArray[np.float64], octaves: float) -> NDArray[np.int64]:
    """(2, bins): of each bin the first and the one after the last that lie within so many octaves, itself at least."""
    ratio = 2.0**octaves
    low = np.searchsorted(hz, hz / ratio, side="left")
    high = np.searchsorted(hz, hz * ratio, side="right")
    at = np.arange(hz.size)
    return np.ascontiguousarray(np.stack([np.minimum(low, at), np.maximum(high, at + 1)]).astype(np.int64))


@kernel("void(float64[::1], int64[:, ::1], float64[::1])")
def smoothed(power: NDArray[np.float64], within: NDArray[np.int64], out: NDArray[np.float64]) -> None:
    """Power mean over the neighbours of each bin.

    Args:
        power, out: (bins,).
        within: from :func:`edges`.
    """
    sums = np.empty(power.shape[0] + 1)
    sums[0] = 0.0
    for i in range(power.shape[0]):
        sums[i + 1] = sums[i] + power[i]
    for i in range(power.shape[0]):
        low = within[0, i]
        high = within[1, i]
        out[i] = max(sums[high] - sums[low], 0.0) / (high - low)


CELLS = 16
"""Points over half the width of a cut, on which it is widened."""


def cells(hz: NDArray[np.float64], width_oct: float) -> NDArray[np.float64]:
    """(bins,): where each bin lies on a grid of ``CELLS`` points a width, from nought on."""
    return np.asarray(np.log2(hz / hz[0]) * (CELLS / width_oct), dtype=np.float64)


def bump() -> NDArray[np.float64]:
    """(2·CELLS + 1,): a raised cosine, half its height half a width away."""
    return np.asarray(0.5 + 0.5 * np.cos(np.pi * np.arange(-CELLS, CELLS + 1) / CELLS), dtype=np.float64)


@kernel("void(float64[::1], float64[::1], float64[::1], float64[::1])")
def spread(
    cut_db: NDArray[np.float64], place: NDArray[np.float64], shape: NDArray[np.float64], out: NDArray[np.float64]
) -> None:
    """Widen every cut to a raised cosine whose top is its depth; the deeper one counts where two meet.

    Args:
        cut_db, out: (bins,), at least 0.
        place: from :func:`cells`.
        shape: from :func:`bump`.
    """
    half = shape.shape[0] // 2
    count = int(place[-1]) + 2
    deepest = np.zeros(count)
    for i in range(cut_db.shape[0]):
        at = int(place[i] + 0.5)
        deepest[at] = max(deepest[at], cut_db[i])
    wide = np.zeros(count + 2 * half)
    for at in range(count):
        depth = deepest[at]
        if depth > 0.0:
            around = wide[at : at + shape.shape[0]]
            for k in range(shape.shape[0]):
                around[k] = max(around[k], depth * shape[k])
    for i in range(cut_db.shape[0]):
        low = int(place[i])
        share = place[i] - low
        near = (1.0 - share) * wide[low + half] + share * wide[low + 1 + half]
        out[i] = max(cut_db[i], near)


@kernel("void(float64[::1], float64, float64, float64[::1])")
def follow(target_db: NDArray[np.float64], attack: float, release: float, cut_db: NDArray[np.float64]) -> None:
    """One step of every bin towards its target: ``attack`` where it deepens, else ``release`` (shares a frame)."""
    for i in range(target_db.shape[0]):
        share = attack if target_db[i] > cut_db[i] else release
        cut_db[i] += share * (target_db[i] - cut_db[i])
        if cut_db[i] < 1e-6:
            cut_db[i] = 0.0
