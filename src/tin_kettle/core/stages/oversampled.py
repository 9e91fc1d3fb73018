"""A shaping curve at work at a higher rate: what it adds to a sound, so that what it leaves alone stays as it was."""

from __future__ import annotations

import math
from collections.abc import Mapping
from typing import Any

import numpy as np
from numpy.typing import NDArray

from tin_kettle.core.dsp.oversampling import Oversampling
from tin_kettle.core.dsp.shaping import Curve, peaks_told, shape

PIECE = 2048
"""Frames that are worked on at once: what they become at the higher rate stays near the processor."""
HISTOGRAM_DB = np.arange(-48.0, 12.1, 1.5)
"""Edges of the classes in which levels are counted."""
FORGET_S = 4.0


class Shaper:
    """A curve at ``factor`` times the rate, 1, 2, 4 or 8; at 1 it is plain, and not smoothed between samples.

    States are kept by whoever owns it, under the names in ``silence``.
    """

    def __init__(self, curve: Curve, factor: int, rate_hz: float) -> None:
        self.curve, self._rate_hz = curve, rate_hz
        self._constants = curve.constants
        self._over = Oversampling(factor) if factor > 1 else None
        self._factor = factor
        self.delay = self._over.delay if self._over else 0
        self.silence = {
            "before": np.zeros((2, 2)),
            "told": np.zeros((2, self.delay - self.delay // 2)),
            "met": np.zeros((2, HISTOGRAM_DB.size + 1)),
            **(self._over.silence if self._over else {}),
        }

    def added(self, block: NDArray[np.float64], state: Mapping[str, Any]) -> tuple[Any, Any]:
        """What the curve adds to the next (2, frames), ``delay`` frames late.

        Returns:
            It, (2, frames), and (2, frames) what it takes off the peaks and where these meet it, dB, in time with it.
        """
        frames = block.shape[1]
        out, told = np.empty((2, frames)), np.empty((2, frames))
        for at in range(0, frames, PIECE):
            piece = slice(at, min(at + PIECE, frames))
            out[:, piece], told[:, piece] = self._piece(np.ascontiguousarray(block[:, piece]), state)
        self._count(told, state["met"])
        late = np.concatenate([state["told"], told], axis=1)
        state["told"][:] = late[:, frames:]
        return out, late[:, :frames]

    def _piece(self, block: NDArray[np.float64], state: Mapping[str, Any]) -> tuple[Any, Any]:
        raised = self._over.up(block, state) if self._over else block
        joined = np.concatenate([state["before"], raised], axis=1)
        state["before"][:] = joined[:, -2:]
        added = np.empty_like(raised)
        shape(joined, self._constants, self._over is not None, added)
        told = np.empty((2, block.shape[1]))
        # what is smoothed is late by a sample
        met = np.ascontiguousarray(joined[:, 1:-1] if self._over else joined[:, 2:])
        peaks_told(met, added, self._factor, told)
        return (self._over.down(added, state) if self._over else added), told

    def _count(self, told: NDArray[np.float64], met: NDArray[np.float64]) -> None:
        """Count how often peaks meet the curve at which level, and leave it; older ones fade away."""
        met *= math.exp(-told.shape[1] / (FORGET_S * self._rate_hz))
        for row, level in enumerate((told[1], told[0] + told[1])):
            met[row] += np.bincount(np.searchsorted(HISTOGRAM_DB, level), minlength=met.shape[1])
        met[met < 1e-3] = 0.0

    def curves(self, state: Mapping[str, Any]) -> dict[str, NDArray[np.float64]]:
        """Shares of the classes of level, 0 to 1 of the fullest, before and after the curve; the quietest left out."""
        met = state["met"][:, 1:]
        most = max(float(met.max()), 1e-9)
        return {"share_before": met[0] / most, "share_after": met[1] / most}
