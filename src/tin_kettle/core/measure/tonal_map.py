"""The tonal map: levels of mid and side in twelfths of an octave, several times a second over a whole song."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

WINDOW_S = 0.34
STEPS_PER_OCTAVE = 12
BANDS_HZ = 8.0 * 2.0 ** (np.arange(137) / STEPS_PER_OCTAVE)
"""Centres, 8 Hz to 20.6 kHz."""
FLOOR_DB = -140.0


class TonalMeter:
    """Feeds on blocks; a row every half window (sine windows, whose powers add up to the energy)."""

    def __init__(self, rate_hz: float) -> None:
        self._rate_hz = rate_hz
        self._size = 1 << int(np.log2(WINDOW_S * rate_hz) + 0.5)
        self.hop = self._size // 2
        self._window = np.sin(np.pi * (np.arange(self._size) + 0.5) / self._size)
        half = 2.0 ** (0.5 / STEPS_PER_OCTAVE)
        edges = np.append(BANDS_HZ / half, BANDS_HZ[-1] * half)
        # power below each edge, with the bin under it counted by its share
        self._edges = np.minimum(edges * self._size / rate_hz + 0.5, self._size // 2)
        self._pending = np.zeros((2, self.hop))
        self._rows: list[NDArray[np.float32]] = []

    def feed(self, block: NDArray[np.float64]) -> None:
        """Hear (2, frames)."""
        joined = np.concatenate([self._pending, block], axis=1)
        at = 0
        while joined.shape[1] - at >= self._size:
            self._rows.append(self._row(joined[:, at : at + self._size]))
            at += self.hop
        self._pending = joined[:, at:]

    def _row(self, piece: NDArray[np.float64]) -> NDArray[np.float32]:
        parts = np.stack([0.5 * (piece[0] + piece[1]), 0.5 * (piece[0] - piece[1])]) * self._window
        spectrum = np.fft.rfft(parts)
        power = (spectrum.real**2 + spectrum.imag**2) * (4.0 / self._size**2)
        below = np.concatenate([np.zeros((2, 1)), np.cumsum(power, axis=1)], axis=1)
        whole = self._edges.astype(np.intp)
        share = self._edges - whole
        at_edges = below[:, whole] + share * power[:, np.minimum(whole, power.shape[1] - 1)]
        bands = np.maximum(np.diff(at_edges, axis=1), 1e-14)
        return np.asarray(10.0 * np.log10(bands), dtype=np.float32)

    def finish(self) -> TonalMap:
        """All rows; silence is heard until the last sample has been looked at."""
        self.feed(np.zeros((2, self._size)))
        rows = np.stack(self._rows) if self._rows else np.full((1, 2, BANDS_HZ.size), FLOOR_DB, dtype=np.float32)
        return TonalMap(rows, self.hop / self._rate_hz)


@dataclass(frozen=True)
class TonalMap:
    """Levels in dB (mean square), (rows, 2, bands): mid and side; row n is about ``n · hop_s``."""

    rows: NDArray[np.float32]
    hop_s: float

    def passage(self, start_s: float, end_s: float) -> NDArray[np.float32]:
        """The rows between two times, at least one."""
        first = min(max(round(start_s / self.hop_s), 0), len(self.rows) - 1)
        last = max(min(round(end_s / self.hop_s), len(self.rows)), first + 1)
        return self.rows[first:last]

    def average_db(self, start_s: float, end_s: float) -> NDArray[np.float64]:
        """(2, bands), mean power of a passage."""
        power = np.mean(10.0 ** (self.passage(start_s, end_s).astype(np.float64) / 10.0), axis=0)
        return np.asarray(10.0 * np.log10(power))

    def maximum_db(self, start_s: float, end_s: float) -> NDArray[np.float64]:
        """(2, bands), the loudest row of each band."""
        return np.asarray(self.passage(start_s, end_s).max(axis=0), dtype=np.float64)

    def spread_db(self, start_s: float, end_s: float) -> NDArray[np.float64]:
        """(2, 2, bands): what 10 % and 90 % of the passage stay below."""
        return np.asarray(np.percentile(self.passage(start_s, end_s), [10, 90], axis=0), dtype=np.float64)


def smoothed_db(levels_db: NDArray[np.float64], octaves: float) -> NDArray[np.float64]:
    """Median over a width in octaves along the last axis: the spectrum's own smooth line, deaf to single peaks."""
    reach = max(1, round(octaves * STEPS_PER_OCTAVE / 2))
    padded = np.pad(levels_db, [(0, 0)] * (levels_db.ndim - 1) + [(reach, reach)], mode="edge")
    return np.asarray(np.median(np.lib.stride_tricks.sliding_window_view(padded, 2 * reach + 1, axis=-1), axis=-1))
