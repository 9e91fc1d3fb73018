"""How much later one file plays what another does: by correlation about the loudest passage."""

from __future__ import annotations

import numpy as np

from tin_kettle.core.engine.source import Source

MOST_SHIFT_S = 10.0
PASSAGE_S = 60.0
SURE = 0.35
"""Normalised correlation from which on two bounces are taken for the same music."""
AS_GOOD = 0.999
"""Of lags that correlate nearly as well, as in a steady tone, the shortest is taken."""
LEAST_ENERGY = 1e-6
"""Share of the new file's energy that a lag has to meet; below it rounding would look like a match."""


def lag_frames(old: Source, new: Source, sure: float = SURE, most_shift_s: float = MOST_SHIFT_S) -> int | None:
    """How many frames later the new bounce plays the same music; None where it does not seem to be the same.

    Normalised cross-correlation (Lewis 1995, *Fast normalized cross-correlation*) of the middle signal, weighted to
    its changes, over a minute about the loudest second of the old one.

    Args:
        sure: least normalised correlation, 0–1.
        most_shift_s: either way.
    """
    most = round(most_shift_s * old.rate_hz)
    half = round(PASSAGE_S * old.rate_hz / 2)
    middle = _loudest_frame(old)
    first, last = max(0, middle - half), min(old.frames, middle + half)
    before = np.diff(old.read(first, last - first).mean(axis=0))
    after = np.diff(new.read(first - most, last - first + 2 * most).mean(axis=0))
    energy, whole = float(np.dot(before, before)), float(np.dot(after, after))
    if energy * whole < 1e-24:
        return None
    size = 1 << (before.size + after.size - 1).bit_length()
    both = np.fft.irfft(np.fft.rfft(after, size) * np.conj(np.fft.rfft(before, size)), size)[: 2 * most + 1]
    # by the energy of what each lag meets: a louder passage elsewhere is no better match
    sums = np.concatenate([[0.0], np.cumsum(after**2)])
    met = sums[before.size :][: both.size] - sums[: both.size]
    match = both / np.sqrt(energy * np.maximum(met, LEAST_ENERGY * whole))
    best = float(match.max())
    if best <= sure:
        return None
    around = np.pad(match, 1, constant_values=-np.inf)
    peaks = np.flatnonzero((match >= AS_GOOD * best) & (match >= around[:-2]) & (match >= around[2:]))
    return int(peaks[np.argmin(np.abs(peaks - most))]) - most


def _loudest_frame(source: Source) -> int:
    """The middle of the loudest second."""
    step = source.rate_hz
    energies = [
        float(np.sum(source.read(at, min(step, source.frames - at)) ** 2)) for at in range(0, source.frames, step)
    ]
    return int(np.argmax(energies)) * step + step // 2
