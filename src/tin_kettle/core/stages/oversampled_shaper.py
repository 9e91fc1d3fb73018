"""A shaping curve at work at a higher rate: what it adds to a sound, so that what it leaves alone stays as it was."""

from __future__ import annotations

import math
from collections.abc import Mapping
from typing import Any

import numpy as np
from numpy.typing import NDArray

from tin_kettle.core.dsp.oversampling import Oversampling
from tin_kettle.core.dsp.waveshaping import CLASS_DB, LOWEST_DB, Curve, crests_taken, peaks_told, shape

PAST = 2
"""Samples before the present one that a curve looks at."""
PIECE = 4096
"""Frames that are worked on at once: what they become at the higher rate stays near the processor."""
HISTOGRAM_DB = LOWEST_DB + CLASS_DB * np.arange(41)
"""Edges of the classes in which levels are counted."""
FORGET_S, FORGOTTEN = 4.0, 1e-3
CREST_S = 0.005


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
            "before": np.zeros((2, PAST)),
            "told": np.zeros(self.delay - self.delay // 2),
            "crests": np.zeros(2),
            "met": np.zeros((2, HISTOGRAM_DB.size)),
            **(self._over.silence if self._over else {}),
        }

    def added(self, block: NDArray[np.float64], state: dict[str, Any]) -> tuple[Any, Any]:
        """What the curve adds to the next (2, frames), ``delay`` frames late.

        Returns:
            It, (2, frames), and (1, frames) the peaks that meet it, dB, in time with it.
        """
        frames = block.shape[1]
        out, told = np.empty((2, frames)), np.empty(frames)
        # older counts fade away
        state["met"] *= math.exp(-frames / (FORGET_S * self._rate_hz))
        state["met"][state["met"] < FORGOTTEN] = 0.0
        for at in range(0, frames, PIECE):
            piece = slice(at, min(at + PIECE, frames))
            out[:, piece], told[piece] = self._piece(block[:, piece], state)
        late = np.concatenate([state["told"], told])
        state["told"][:] = late[frames:]
        return out, late[None, :frames].copy()

    def _piece(self, block: NDArray[np.float64], state: Mapping[str, Any]) -> tuple[Any, Any]:
        over, frames = self._over, block.shape[1]
        past = state["before"]
        if over is None:
            joined, room = np.concatenate([past, block], axis=1), 0
        else:
            joined, room = over.up(block, state, PAST), over.room
            joined[:, :PAST] = past
        past[:] = joined[:, -PAST:]
        added = np.empty((2, room + self._factor * frames))
        shape(joined, self._constants, over is not None, room, added)
        told = np.empty(frames)
        # what is smoothed is late by a sample
        peaks_told(joined, added, PAST - (over is not None), room, self._factor, told, state["met"])
        return (over.down(added, state) if over else added), told

    def taken_db(self, before: NDArray[np.float64], after: NDArray[np.float64], state: Mapping[str, Any]) -> Any:
        """What is taken off the crests of the sound itself, (1, frames) dB; both are (2, frames)."""
        out = np.empty((1, before.shape[1]))
        crests_taken(before, after, math.exp(-1.0 / (CREST_S * self._rate_hz)), state["crests"], out)
        return out

    def curves(self, state: Mapping[str, Any]) -> dict[str, NDArray[np.float64]]:
        """Shares of the classes of level, 0 to 1 of the fullest, before and after the curve; the last has no end."""
        met = state["met"]
        most = max(float(met.max()), 1e-9)
        return {"share_before": met[0] / most, "share_after": met[1] / most}
