"""The spectrum of what is heard, several times a second: long windows for the lows, short ones for the highs."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from tin_kettle.core.dsp.transforms import rfft

SPECTRUM_HZ = np.geomspace(8.0, 22000.0, 260)
"""Where levels are given, 23 to the octave."""
WINDOWS = ((0.34, 0.0, 300.0), (0.17, 300.0, 1200.0), (0.085, 1200.0, 1e6))
"""Length in seconds of the window for frequencies from … to …: 3 Hz tells bass notes apart."""
TURNS = (2, 0, 2, 1)
"""Which window is looked through at each time: the longer it is, the less it changes from one time to the next."""
_FLOOR = np.float32(1e-14)


class _Part:
    """One window, and how its bins become the levels of a range."""

    def __init__(self, rate_hz: float, seconds: float, low_hz: float, high_hz: float) -> None:
        self.size = 1 << round(np.log2(seconds * rate_hz))
        # single precision: as fine as a picture can show, in half the time
        self.window = np.hanning(self.size).astype(np.float32)
        wanted = (low_hz <= SPECTRUM_HZ) & (high_hz > SPECTRUM_HZ) & (0.499 * rate_hz > SPECTRUM_HZ)
        self.columns = np.flatnonzero(wanted)
        step = np.sqrt(SPECTRUM_HZ[1] / SPECTRUM_HZ[0])
        place = SPECTRUM_HZ[wanted] * self.size / rate_hz
        first = np.ceil(place / step).astype(np.intp)
        last = np.floor(place * step).astype(np.intp)
        self._bins = min(int(last.max()) + 3, self.size // 2 + 1)
        self._scale = np.float32(4.0 / self.window.sum() ** 2)
        self._wide = np.flatnonzero(last > first)
        self._narrow = np.flatnonzero(last <= first)
        self._below = np.minimum(place[self._narrow].astype(np.intp), self._bins - 2)
        self._share = (place[self._narrow] - self._below).astype(np.float32)
        stop = np.minimum(last[self._wide] + 1, self._bins - 1)
        self._edges = np.stack([first[self._wide], stop], axis=1).ravel()

    def levels_db(self, samples: NDArray[np.float32]) -> NDArray[np.float32]:
        """(2, columns): the highest bin near each frequency, or between two bins where they are far apart."""
        spectrum = rfft(samples[:, -self.size :] * self.window)[:, : self._bins]
        power = (spectrum.real**2 + spectrum.imag**2) * self._scale
        out = np.empty((2, len(self.columns)), dtype=np.float32)
        if len(self._narrow):
            below, above = _db(power[:, self._below]), _db(power[:, self._below + 1])
            out[:, self._narrow] = below + self._share * (above - below)
        if len(self._wide):
            out[:, self._wide] = _db(np.maximum.reduceat(power, self._edges, axis=1)[:, ::2])
        return out


def _db(power: NDArray[np.float32]) -> NDArray[np.float32]:
    return np.asarray(np.float32(10.0) * np.log10(np.maximum(power, _FLOOR)))


class LiveSpectrum:
    """Feeds on what is rendered; dB re a full-scale sine in mid or side."""

    def __init__(self, rate_hz: float) -> None:
        self._parts = [_Part(rate_hz, *window) for window in WINDOWS]
        self._heard = np.zeros((2, max(part.size for part in self._parts)), dtype=np.float32)
        self._levels = np.full((2, SPECTRUM_HZ.size), -140.0, dtype=np.float32)
        self._due = [*range(len(WINDOWS))]
        self._turn = 0

    def feed(self, block: NDArray[np.float64]) -> None:
        """Hear (2, frames), no longer than the longest window."""
        frames = block.shape[1]
        sides = np.array([block[0] + block[1], block[0] - block[1]], dtype=np.float32)
        self._heard = np.concatenate([self._heard[:, frames:], np.float32(0.5) * sides], axis=1)

    def levels_db(self) -> NDArray[np.float32]:
        """(2, points) of mid and side at ``SPECTRUM_HZ``; −140 dB where the rate carries nothing."""
        for part in (self._parts[index] for index in self._due):
            self._levels[:, part.columns] = part.levels_db(self._heard)
        self._due = [TURNS[self._turn]]
        self._turn = (self._turn + 1) % len(TURNS)
        return self._levels.copy()
