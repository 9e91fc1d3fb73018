"""What a stage that turns peaks down adds to the music, told from the level that it moves."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from tin_kettle.core.dsp.decibels import gain_to_db
from tin_kettle.core.measure.loudness import Slots, Weighing, integrated_lufs, k_weighting

NOTHING_DB = -100.0


class AddedMeter:
    """Feeds on what goes in and what comes out, in time; :meth:`added_db` is what was added, against what came out.

    Of every 10 ms and side the output is taken apart into the input at the one gain that fits it best, by least
    squares, and the rest. A gain that moves more slowly than that is a change of level and leaves no rest; one that
    moves within it bends the waveform, which is heard as distortion. Both are K-weighted, since that rest lies where
    the ear is keen. ``10·log10(Σ rest² / Σ output²)``.
    """

    def __init__(self, rate_hz: float) -> None:
        self._weighing = Weighing(k_weighting(rate_hz))
        # a pair of channels each: what went in and what came out of one side
        self._sides = [Slots(rate_hz), Slots(rate_hz)]

    def feed(self, came: NDArray[np.float64], left: NDArray[np.float64]) -> None:
        """Hear (2, frames) of both; what went in is K-weighted already, since several may be told against the same."""
        out = self._weighing.weigh(left)
        for side, slots in enumerate(self._sides):
            slots.add(np.stack([came[side], out[side]]))

    @property
    def integrated_lufs(self) -> float | None:
        """Loudness of what came out."""
        return integrated_lufs(np.add.reduce([meter.slots()[:, 1] for meter in self._sides]))

    @property
    def added_db(self) -> float:
        """What was added, in dB against what came out; −100 where nothing was."""
        rest = total = 0.0
        for meter in self._sides:
            came, left, both = meter.slots().T
            fits = np.divide(both * both, came, out=np.zeros_like(both), where=came > 0.0)
            rest += float(np.maximum(left - fits, 0.0).sum())
            total += float(left.sum())
        return max(NOTHING_DB, 0.5 * gain_to_db(rest / total)) if total > 0.0 else NOTHING_DB
