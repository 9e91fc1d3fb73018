"""Levels in third-octave bands, every half second: what a song is in time and frequency, coarse enough to compare."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from tin_kettle.core.dsp.block import Block
from tin_kettle.core.dsp.transforms import rfft
from tin_kettle.core.measure.windows import Windows

HOP_S = 0.5
NOMINAL_HZ = (
    *(20, 25, 31.5, 40, 50, 63, 80, 100, 125, 160, 200, 250, 315, 400, 500, 630, 800, 1000, 1250, 1600),
    *(2000, 2500, 3150, 4000, 5000, 6300, 8000, 10000, 12500, 16000, 20000),
)
"""Nominal centres of the 31 bands (IEC 61260-1)."""
CENTRES_HZ = 1000.0 * 10.0 ** (np.arange(-17, 14) / 10.0)
"""Exact ones, base ten."""
LOWEST_DB = -200.0
SILENT_DB = -80.0
"""Below this a band of a hop says nothing."""


class BandMeter:
    """Feeds on blocks; a row for every whole half second.

    Each is the spectrum of its half second under a Hann window, brought to the mean square of left plus that of right;
    bins on the edge of two bands count to both by their shares.
    """

    def __init__(self, rate_hz: float) -> None:
        self._frames = round(HOP_S * rate_hz)
        self._window = 0.5 - 0.5 * np.cos(2.0 * np.pi * (np.arange(self._frames) + 0.5) / self._frames)
        bins = self._frames // 2 + 1
        half = 10.0**0.05
        edges = np.append(CENTRES_HZ / half, CENTRES_HZ[-1] * half) * self._frames / rate_hz + 0.5
        self._edges = np.minimum(edges, bins)
        # of bands that reach beyond half the rate, only those whose centre does not
        self._known = 0.5 * rate_hz > CENTRES_HZ
        self._scale = 2.0 / (self._frames * float(np.sum(self._window**2)))
        self._windows = Windows(self._frames, self._frames)
        self._rows: list[NDArray[np.float32]] = []

    def feed(self, block: Block) -> None:
        """Hear (2, frames)."""
        self._rows += [self._row(window) for window in self._windows.feed(block)]

    def _row(self, piece: Block) -> NDArray[np.float32]:
        spectrum = rfft(piece * self._window)
        power = (spectrum.real**2 + spectrum.imag**2).sum(axis=0) * self._scale
        below = np.concatenate([[0.0], np.cumsum(power)])
        whole = np.minimum(self._edges.astype(np.intp), power.size - 1)
        at_edges = below[whole] + (self._edges - whole) * power[whole]
        bands = np.where(self._known, np.diff(at_edges), 0.0)
        return np.asarray(10.0 * np.log10(np.maximum(bands, 10.0 ** (LOWEST_DB / 10.0))), dtype=np.float32)

    def finish(self) -> NDArray[np.float32]:
        """(half seconds, 31) dB: 10·log10 of the mean square of left plus that of right."""
        return np.stack(self._rows) if self._rows else np.zeros((0, CENTRES_HZ.size), dtype=np.float32)


def mean_db(rows: NDArray[np.float32]) -> NDArray[np.float64]:
    """(31,) mean power of some half seconds in dB."""
    if not len(rows):
        return np.full(CENTRES_HZ.size, LOWEST_DB)
    return np.asarray(10.0 * np.log10(np.mean(10.0 ** (rows.astype(np.float64) / 10.0), axis=0)))


def difference_db(after: NDArray[np.float64], before: NDArray[np.float64], gain_db: float) -> NDArray[np.float64]:
    """``after`` minus ``before`` minus a gain; NaN where both are silent."""
    silent = (after < SILENT_DB) & (before < SILENT_DB)
    return np.where(silent, np.nan, after - before - gain_db)


def rounded(values: NDArray[np.float64]) -> list[float | None]:
    """Plain values for JSON; NaN is null."""
    return [None if np.isnan(value) else round(float(value), 2) + 0.0 for value in values]
