"""Long-term spectrum of mid and side: sine windows at half their length, whose powers add up to the energy."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from tin_kettle.core.measure.windows import Windows

WINDOW_S = 0.68
"""Fine enough to tell bass notes apart; the window is the power of two at or below."""
OVERLAP = 2


class SpectrumMeter:
    """Feeds on blocks; keeps the summed power of every bin for mid and side."""

    def __init__(self, rate_hz: float) -> None:
        self.rate_hz = rate_hz
        self._size = 1 << int(np.log2(WINDOW_S * rate_hz))
        self._hop = self._size // OVERLAP
        self._window = np.sin(np.pi * (np.arange(self._size) + 0.5) / self._size)
        self._power = np.zeros((2, self._size // 2 + 1))
        self._frames = 0
        self._sums = np.zeros(2)
        # what a constant of 1 would be in every window, and what it has in common with the sound
        self._constant = np.fft.rfft(self._window)
        self._constant_power = np.zeros(self._size // 2 + 1)
        self._in_common = np.zeros((2, self._size // 2 + 1))
        # silence before and after lets the first and last samples count as much as any
        self._window_start = self._hop - self._size
        self._windows = Windows(self._size, self._hop, silence=self._size - self._hop)

    def feed(self, block: NDArray[np.float64]) -> None:
        """Hear (2, frames)."""
        self._frames += block.shape[1]
        self._sums += 0.5 * (block[0].sum() + block[1].sum()), 0.5 * (block[0].sum() - block[1].sum())
        self._look(block)

    def finish(self) -> None:
        """Hear enough silence to look at the last sample as often as at the others."""
        self._look(np.zeros((2, self._size)))

    def _look(self, block: NDArray[np.float64]) -> None:
        for piece in self._windows.feed(block):
            parts = np.stack([0.5 * (piece[0] + piece[1]), 0.5 * (piece[0] - piece[1])]) * self._window
            transform = np.fft.rfft(parts)
            self._power += transform.real**2 + transform.imag**2
            first, last = max(-self._window_start, 0), min(self._frames - self._window_start, self._size)
            constant = self._constant
            if first > 0 or last < self._size:
                inside = np.arange(self._size)
                constant = np.fft.rfft(self._window * ((inside >= first) & (inside < last)))
            self._constant_power += constant.real**2 + constant.imag**2
            self._in_common += transform.real * constant.real + transform.imag * constant.imag
            self._window_start += self._hop

    @property
    def hz(self) -> NDArray[np.float64]:
        """Frequency of every bin."""
        return np.linspace(0.0, self.rate_hz / 2.0, self._size // 2 + 1)

    def power(self, without_mean: bool = False) -> NDArray[np.float64]:
        """(2, bins) mean square of mid and side in every bin; they sum to the signal's mean square, or its variance."""
        power, frames = self._power, max(self._frames, 1)
        if without_mean:
            mean = self._sums[:, None] / frames
            power = np.maximum(power - 2.0 * mean * self._in_common + mean**2 * self._constant_power, 0.0)
        scale = np.full(power.shape[1], 2.0)
        scale[0] = scale[-1] = 1.0
        windows = np.sum(self._window**2) * self._size / self._hop
        return np.asarray(power * scale * self._size / (windows * self._size * frames))

    def share(
        self,
        low_hz: float,
        high_hz: float,
        component: int | None = None,
        of_range: bool = False,
        without_mean: bool = False,
    ) -> float:
        """Share of the energy between two frequencies.

        Args:
            component: 0 mid, 1 side, None both.
            of_range: of the energy between the two frequencies instead of all.
            without_mean: a constant offset is no sound and does not count.
        """
        power = self.power(without_mean)
        inside = (self.hz >= low_hz) & (self.hz < high_hz)
        wanted = power[:, inside] if component is None else power[component, inside]
        whole = power[:, inside] if of_range else power
        total = float(whole.sum())
        return float(wanted.sum()) / total if total > 1e-24 else 0.0

    def third_octaves(self) -> dict[str, list[float]]:
        """Levels in dB of mid and side in third-octave bands (IEC 61260 base ten) from 20 Hz up to half the rate."""
        power, hz = self.power(), self.hz
        centres = [10.0 ** (n / 10.0) for n in range(13, 44)]
        centres = [c for c in centres if c < self.rate_hz / 2.0]
        levels = np.zeros((2, len(centres)))
        for i, centre in enumerate(centres):
            inside = (hz >= centre * 10**-0.05) & (hz < centre * 10**0.05)
            levels[:, i] = power[:, inside].sum(axis=1)
        mid_db, side_db = (10.0 * np.log10(np.maximum(levels, 1e-20))).round(3).tolist()
        return {"hz": [round(c, 2) for c in centres], "mid_db": mid_db, "side_db": side_db}
