"""What stands out of a spectrum, frame by frame: the cut of every bin."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from tin_kettle.core.dsp.compile import kernel
from tin_kettle.core.dsp.decibels import DB_PER_OCTAVE, exp2, log2

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


@kernel("void(float64[::1], float64[::1], float64, float64, float64, float64, int64, int64, float64[:, ::1])")
def standing_out(
    power: NDArray[np.float64],
    reference: NDArray[np.float64],
    threshold_db: float,
    strength: float,
    most_db: float,
    quietest_db: float,
    first: int,
    last: int,
    out: NDArray[np.float64],
) -> None:
    """What stands out of each bin, and how much of it is to be cut.

    Args:
        power, reference: (bins,), powers.
        threshold_db, strength, most_db: cut = strength · (level − reference − threshold), 0 … most.
        quietest_db: bins below are left alone.
        first, last: bins of the focus, ``first`` … ``last`` − 1.
        out: (3, bins) level, reference and cut, dB.
    """
    for i in range(power.shape[0]):
        level = 0.5 * DB_PER_OCTAVE * log2(max(power[i], POWER_FLOOR))
        held = 0.5 * DB_PER_OCTAVE * log2(max(reference[i], POWER_FLOOR))
        out[0, i] = level
        out[1, i] = held
        cut = 0.0
        if first <= i < last and level >= quietest_db:
            cut = min(max(strength * (level - held - threshold_db), 0.0), most_db)
        out[2, i] = cut


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


@kernel("void(complex128[:, ::1], float64, float64[::1])")
def power_of(spectrum: NDArray[np.complex128], full: float, out: NDArray[np.float64]) -> None:
    """Mean power of both rows, (bins,), where ``full`` is that of a full-scale tone."""
    scale = 0.5 / full
    for i in range(out.shape[0]):
        a = spectrum[0, i]
        b = spectrum[1, i]
        out[i] = scale * (a.real * a.real + a.imag * a.imag + b.real * b.real + b.imag * b.imag)


@kernel("void(complex128[:, ::1], float64[::1], boolean)")
def cut_bins(spectrum: NDArray[np.complex128], cut_db: NDArray[np.float64], removed: bool) -> None:
    """Turn every bin of both rows down in place, or leave only what that takes."""
    for i in range(cut_db.shape[0]):
        gain = exp2(-cut_db[i] / DB_PER_OCTAVE)
        if removed:
            gain = 1.0 - gain
        spectrum[0, i] *= gain
        spectrum[1, i] *= gain


@kernel("void(float64[:, ::1], float64[::1], float64[:, ::1], float64[:, ::1])")
def overlap(
    made: NDArray[np.float64], window: NDArray[np.float64], coming: NDArray[np.float64], ready: NDArray[np.float64]
) -> None:
    """Add a frame to those before it, give the oldest hop, and move on by it.

    Args:
        made: (2, frame).
        window: (frame,) weights of the frame.
        coming: (2, frame) the sum so far.
        ready: (2, hop) out.
    """
    hop = ready.shape[1]
    kept = coming.shape[1] - hop
    for row in range(2):
        for i in range(hop):
            ready[row, i] = coming[row, i] + made[row, i] * window[i]
        for i in range(kept):
            coming[row, i] = coming[row, i + hop] + made[row, i + hop] * window[i + hop]
        coming[row, kept:] = 0.0


@kernel("void(float64[::1], float64, float64, float64[::1])")
def follow(target_db: NDArray[np.float64], attack: float, release: float, cut_db: NDArray[np.float64]) -> None:
    """One step of every bin towards its target: ``attack`` where it deepens, else ``release`` (shares a frame)."""
    for i in range(target_db.shape[0]):
        share = attack if target_db[i] > cut_db[i] else release
        cut_db[i] += share * (target_db[i] - cut_db[i])
        if cut_db[i] < 1e-6:
            cut_db[i] = 0.0
