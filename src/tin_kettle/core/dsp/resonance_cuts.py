"""What stands out of a spectrum, frame by frame: the cut of every bin."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from tin_kettle.core.dsp.compile import kernel
from tin_kettle.core.dsp.decibels import DB_PER_OCTAVE, exp2, log2

POWER_FLOOR = 1e-16


CELLS = 16
"""Points a width on a grid that is even in octaves: on it cuts are widened and peaks compared."""
BY_CHANCE = 10.0**-0.13
"""A peak among peaks is held a little below their mean: so a broad ring of 12 dB in noise reads as 10 to 12."""
OWN = 24
"""Points on each side that belong to what may stand out: a resonance has flanks."""


def cells(hz: NDArray[np.float64], width_oct: float) -> NDArray[np.float64]:
    """(bins,): where each bin lies on a grid of ``CELLS`` points a width, from nought on."""
    return np.asarray(np.log2(hz / hz[0]) * (CELLS / width_oct), dtype=np.float64)


def nearest_bins(place: NDArray[np.float64]) -> NDArray[np.int64]:
    """(cells,): the bin nearest to every point of the grid, for where bins are farther apart than points."""
    at = np.arange(int(place[-1] + 0.5) + 1)
    above = np.clip(np.searchsorted(place, at), 1, place.size - 1)
    return np.where(at - place[above - 1] <= place[above] - at, above - 1, above).astype(np.int64)


@kernel("void(float64[:, ::1], float64[::1], int64[::1], int64, float64[:, ::1], float64[:, ::1])")
def peak_line(
    power: NDArray[np.float64],
    place: NDArray[np.float64],
    nearest: NDArray[np.int64],
    outer: int,
    peaks: NDArray[np.float64],
    out: NDArray[np.float64],
) -> None:
    """How high peaks are all about each bin, without its own.

    Chance makes peaks too: a bin of noise is seldom far above its mean, the highest of twenty nearly always. So a bin
    is not compared with the mean of its neighbours but with the power mean of their peaks, each the highest bin within
    half a width: those of noise do not stand out of each other, nor do the harmonics of a note.

    Args:
        power: (frames, bins).
        place, nearest: from :func:`cells` and :func:`nearest_bins`.
        outer: points on each side whose peaks count; those within ``OWN`` belong to the bin itself.
        peaks: (frames, bins) the peaks.
        out: (frames, bins) their mean; the bin's own peak where there are no others.
    """
    count = nearest.shape[0]
    half = CELLS // 2
    highest = np.empty(count + 2 * half)
    around = np.empty(count)
    sums = np.empty(count + 1)
    sums[0] = 0.0
    for frame in range(power.shape[0]):
        x = power[frame]
        highest[:] = 0.0
        for c in range(count):
            highest[half + c] = x[nearest[c]]
        for i in range(x.shape[0]):
            c = half + int(place[i] + 0.5)
            highest[c] = max(highest[c], x[i])
        around[:] = 0.0
        for k in range(2 * half + 1):
            for c in range(count):
                around[c] = max(around[c], highest[c + k])
        for c in range(count):
            sums[c + 1] = sums[c] + around[c]
        for i in range(x.shape[0]):
            c = int(place[i] + 0.5)
            low, below = max(c - outer, 0), max(c - OWN, 0)
            above, high = min(c + OWN + 1, count), min(c + outer + 1, count)
            others = (below - low) + (high - above)
            peaks[frame, i] = around[c]
            mean = (sums[below] - sums[low] + sums[high] - sums[above]) / max(others, 1)
            out[frame, i] = BY_CHANCE * mean if others > 0 else around[c]


@kernel("void(float64[:, ::1], float64[:, ::1], float64, float64, float64, float64, int64, int64, float64[:, :, ::1])")
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
        power, reference: (frames, bins), powers.
        threshold_db, strength, most_db: cut = strength · (level − reference − threshold), 0 … most.
        quietest_db: bins below are left alone.
        first, last: bins of the focus, ``first`` … ``last`` − 1.
        out: (3, frames, bins) level, reference and cut, dB.
    """
    for frame in range(power.shape[0]):
        x = power[frame]
        r = reference[frame]
        level = out[0, frame]
        held = out[1, frame]
        cut = out[2, frame]
        for i in range(x.shape[0]):
            level[i] = 0.5 * DB_PER_OCTAVE * log2(max(x[i], POWER_FLOOR))
            held[i] = 0.5 * DB_PER_OCTAVE * log2(max(r[i], POWER_FLOOR))
            stands = min(max(strength * (level[i] - held[i] - threshold_db), 0.0), most_db)
            cut[i] = stands if level[i] >= quietest_db else 0.0
        cut[:first] = 0.0
        cut[last:] = 0.0


def bump() -> NDArray[np.float64]:
    """(2·CELLS + 1,): a raised cosine, half its height half a width away."""
    return np.asarray(0.5 + 0.5 * np.cos(np.pi * np.arange(-CELLS, CELLS + 1) / CELLS), dtype=np.float64)


@kernel("void(float64[:, ::1], float64[::1], float64[::1], float64[:, ::1])")
def spread(
    cut_db: NDArray[np.float64], place: NDArray[np.float64], shape: NDArray[np.float64], out: NDArray[np.float64]
) -> None:
    """Widen every cut to a raised cosine whose top is its depth; the deeper one counts where two meet.

    Args:
        cut_db, out: (frames, bins), at least 0.
        place: from :func:`cells`.
        shape: from :func:`bump`.
    """
    half = shape.shape[0] // 2
    count = int(place[-1]) + 2
    deepest = np.empty(count)
    wide = np.empty(count + 2 * half)
    for frame in range(cut_db.shape[0]):
        cut = cut_db[frame]
        y = out[frame]
        deepest[:] = 0.0
        wide[:] = 0.0
        first, last = count, 0
        for i in range(cut.shape[0]):
            if cut[i] > 0.0:
                at = int(place[i] + 0.5)
                deepest[at] = max(deepest[at], cut[i])
                first = min(first, at)
                last = at + 1
        # a point of the bump after the other, over all cuts: long loops vectorise
        depth = deepest[first:last]
        for k in range(shape.shape[0]):
            around = wide[first + k : last + k]
            share = shape[k]
            for i in range(depth.shape[0]):
                around[i] = max(around[i], depth[i] * share)
        for i in range(cut.shape[0]):
            low = int(place[i])
            share = place[i] - low
            near = (1.0 - share) * wide[low + half] + share * wide[low + 1 + half]
            y[i] = max(cut[i], near)


@kernel("void(float64[:, ::1], float64[:, ::1], int64[::1], float64, float64[::1])")
def heard_loss(
    power: NDArray[np.float64],
    cut_db: NDArray[np.float64],
    borders: NDArray[np.int64],
    quietest_db: float,
    out: NDArray[np.float64],
) -> None:
    """By how much the band that loses most becomes quieter, (frames,) dB from 0 down.

    Args:
        power, cut_db: (frames, bins).
        borders: (bands + 1,) the first bin of each band, and the one after the last.
        quietest_db: bands below are not heard.
    """
    quietest = exp2(2.0 * quietest_db / DB_PER_OCTAVE)
    for frame in range(power.shape[0]):
        worst = 1.0
        for band in range(borders.shape[0] - 1):
            before = 0.0
            after = 0.0
            for i in range(borders[band], borders[band + 1]):
                gain = exp2(-cut_db[frame, i] / DB_PER_OCTAVE)
                before += power[frame, i]
                after += power[frame, i] * gain * gain
            if before > quietest and after < worst * before:
                worst = after / before
        out[frame] = 0.5 * DB_PER_OCTAVE * log2(max(worst, POWER_FLOOR))


@kernel("void(complex128[:, :, ::1], float64, float64[:, ::1])")
def power_of(spectra: NDArray[np.complex128], full: float, out: NDArray[np.float64]) -> None:
    """Mean power of both sides, (frames, bins), of (frames, 2, bins), where ``full`` is that of a full-scale tone."""
    scale = 0.5 / full
    for frame in range(out.shape[0]):
        for i in range(out.shape[1]):
            a = spectra[frame, 0, i]
            b = spectra[frame, 1, i]
            out[frame, i] = scale * (a.real * a.real + a.imag * a.imag + b.real * b.real + b.imag * b.imag)


@kernel("void(complex128[:, :, ::1], float64[:, ::1], boolean)")
def cut_bins(spectra: NDArray[np.complex128], cut_db: NDArray[np.float64], removed: bool) -> None:
    """Turn every bin of both sides down in place, or leave only what that takes; (frames, 2, bins), (frames, bins)."""
    gain = np.empty(cut_db.shape[1])
    for frame in range(cut_db.shape[0]):
        cut = cut_db[frame]
        for i in range(cut.shape[0]):
            gain[i] = exp2(-cut[i] / DB_PER_OCTAVE)
        if removed:
            for i in range(cut.shape[0]):
                gain[i] = 1.0 - gain[i]
        for row in range(2):
            bins = spectra[frame, row]
            for i in range(cut.shape[0]):
                bins[i] = complex(bins[i].real * gain[i], bins[i].imag * gain[i])


@kernel("void(float64[:, :, ::1], float64[::1], float64[:, ::1], float64[:, ::1])")
def overlap(
    made: NDArray[np.float64], window: NDArray[np.float64], coming: NDArray[np.float64], ready: NDArray[np.float64]
) -> None:
    """Add frames to those before them; each gives the oldest hop, and all move on by it.

    Args:
        made: (frames, 2, frame).
        window: (frame,) weights of a frame.
        coming: (2, frame) the sum so far.
        ready: (2, frames · hop) out.
    """
    hop = ready.shape[1] // made.shape[0]
    kept = coming.shape[1] - hop
    later_window = window[hop:]
    for row in range(2):
        sums = coming[row]
        later_sums = sums[hop:]
        for frame in range(made.shape[0]):
            x = made[frame, row]
            y = ready[row, frame * hop : (frame + 1) * hop]
            for i in range(hop):
                y[i] = sums[i] + x[i] * window[i]
            later = x[hop:]
            for i in range(kept):
                sums[i] = later_sums[i] + later[i] * later_window[i]
            sums[kept:] = 0.0


@kernel("void(float64[:, ::1], float64, float64, float64[::1])")
def follow(target_db: NDArray[np.float64], attack: float, release: float, cut_db: NDArray[np.float64]) -> None:
    """A step a frame of every bin towards its target: ``attack`` where it deepens, else ``release`` (shares a frame).

    Args:
        target_db: (frames, bins) targets in, cuts out.
        cut_db: (bins,) the cut so far.
    """
    for frame in range(target_db.shape[0]):
        target = target_db[frame]
        for i in range(target.shape[0]):
            away = target[i] - cut_db[i]
            cut = cut_db[i] + (attack if away > 0.0 else release) * away
            cut_db[i] = cut if cut >= 1e-6 else 0.0
            target[i] = cut_db[i]
