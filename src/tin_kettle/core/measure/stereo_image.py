"""The stereo image of a passage: side share and correlation by frequency, where its samples lie, what mono loses."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from tin_kettle.core.measure import loudness
from tin_kettle.core.measure.loudness import LoudnessMeter

WINDOW_S = 0.34
"""Long enough to tell what lies at 30 Hz from what lies at 40."""
BANDS_HZ = 25.0 * 2.0 ** (np.arange(58) / 6.0)
"""Centres, sixths of an octave apart, 25 Hz to 18 kHz; each band is a third of an octave wide."""
SILENT_DB = -90.0
"""Bands that lie so far below the loudest have no image."""
CELLS = 41
"""Of the scope, a side."""
ROUNDING = 0.55
"""Power by which radii are drawn: quiet samples show beside loud ones."""


@dataclass(frozen=True)
class StereoImage:
    """What a passage looks like.

    Args:
        correlation: (bands,) −1 … +1, of left and right; NaN where a band is silent.
        side_share: (bands,) 0 … 1, of the energy.
        density: (cells, cells) 0 … 1: how often samples lie there, on a scale of dB; rows from mid up to mid down,
            columns from left to right, radii to the power 0.55 of the loudest sample's.
        mono_loss_lu: loudness minus that of the mono sum; None in silence.
    """

    correlation: NDArray[np.float64]
    side_share: NDArray[np.float64]
    density: NDArray[np.float64]
    mono_loss_lu: float | None

    def document(self) -> dict[str, Any]:
        """Plain values; what is not there is null."""

        def plain(row: NDArray[np.float64]) -> list[float | None]:
            return [None if np.isnan(value) else round(float(value), 4) for value in row]

        return {
            "hz": BANDS_HZ.round(2).tolist(),
            "correlation": plain(self.correlation),
            "side_share": plain(self.side_share),
            "density": self.density.round(3).tolist(),
            "mono_loss_lu": None if self.mono_loss_lu is None else round(self.mono_loss_lu, 3),
        }


def stereo_image(sound: NDArray[np.float64], rate_hz: float) -> StereoImage:
    """The image of (2, frames)."""
    ll, rr, lr = _band_energies(sound, rate_hz)
    total = ll + rr
    heard = total > total.max(initial=0.0) * 10.0 ** (SILENT_DB / 10.0)
    heard &= total > 0.0
    both = np.sqrt(ll * rr)
    # a side alone has no correlation, but a share: half of it is in the side
    correlation = np.divide(lr, both, out=np.full_like(lr, np.nan), where=heard & (both > 1e-12 * total))
    share = np.divide(0.5 * (total - 2.0 * lr), total, out=np.full_like(lr, np.nan), where=heard)
    meter = LoudnessMeter(rate_hz)
    meter.feed(sound)
    slots = meter.slots()
    stereo = loudness.integrated_lufs(loudness.stereo_energy(slots))
    mono = loudness.integrated_lufs(loudness.mono_energy(slots))
    lost = None if stereo is None or mono is None else stereo - mono
    return StereoImage(np.clip(correlation, -1.0, 1.0), np.clip(share, 0.0, 1.0), _density(sound), lost)


def _band_energies(sound: NDArray[np.float64], rate_hz: float) -> NDArray[np.float64]:
    """(3, bands): LL, RR and the real part of LR, by sine windows at half their length."""
    size = 1 << int(np.log2(WINDOW_S * rate_hz) + 0.5)
    window = np.sin(np.pi * (np.arange(size) + 0.5) / size)
    padded = np.pad(sound, ((0, 0), (size // 2, size)))
    sums = np.zeros((3, size // 2 + 1))
    for at in range(0, padded.shape[1] - size + 1, size // 2):
        left, right = np.fft.rfft(padded[:, at : at + size] * window)
        sums[0] += np.abs(left) ** 2
        sums[1] += np.abs(right) ** 2
        sums[2] += (left * right.conj()).real
    below = np.concatenate([np.zeros((3, 1)), np.cumsum(sums, axis=1)], axis=1)
    half = 2.0 ** (1.0 / 6.0)
    edges = [
        np.clip(np.round(hz * size / rate_hz).astype(int), 0, size // 2 + 1)
        for hz in (BANDS_HZ / half, BANDS_HZ * half)
    ]
    return np.asarray(below[:, np.maximum(edges[1], edges[0] + 1).clip(max=size // 2 + 1)] - below[:, edges[0]])


def _density(sound: NDArray[np.float64]) -> NDArray[np.float64]:
    mid, side = 0.5 * (sound[0] + sound[1]), 0.5 * (sound[0] - sound[1])
    radius = np.hypot(mid, side)
    loudest = radius.max(initial=0.0)
    if loudest < 1e-9:
        return np.zeros((CELLS, CELLS))
    far = (radius / loudest) ** ROUNDING
    scale = np.divide(far, radius, out=np.zeros_like(far), where=radius > 0.0)
    edges = np.linspace(-1.0, 1.0, CELLS + 1)
    # left leans left: what is louder there has a positive side
    counts, _, _ = np.histogram2d(-mid * scale, -side * scale, bins=(edges, edges))
    # silence piles up in the middle and says nothing of the image
    counts[CELLS // 2, CELLS // 2] = 0.0
    levels = 10.0 * np.log10(np.maximum(counts, 1e-3) / max(counts.max(), 1.0))
    return np.asarray(np.where(counts > 0.0, np.clip(1.0 + levels / 40.0, 0.0, 1.0), 0.0))
