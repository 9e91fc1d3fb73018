"""Loudness as the ear sums it up: ISO 532-1:2017, Zwicker's method for sounds that vary in time.

Unlike LUFS it knows masking, critical bands and how loudness grows, so that two settings at one LUFS can be told apart.
It needs a level at the ear: full scale is taken so that −20 dBFS (RMS, mean of both sides) is 83 dB in a free field.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from tin_kettle.core.measure.critical_bands import BARK, BARKS, core_loudness, loudness_course
from tin_kettle.core.measure.temporal_loudness import felt, ring_on
from tin_kettle.core.measure.third_octaves import STEPS_PER_S, ThirdOctaves

FULL_SCALE_DB = 103.0
"""Sound pressure level of a mean square of one: −20 dBFS is 83 dB."""
TOLD_PER_S = 500
PERCENTILE = 5.0
"""N5: what is exceeded for so many percent of the time is how loud the whole is judged."""
AT_ONCE = 60 * STEPS_PER_S
"""A minute is worked on at once, however long the passage is."""


@dataclass(frozen=True)
class Perceived:
    """How loud a passage is to the ear.

    Args:
        n5_sone: exceeded for 5 % of the time.
        mean_sone: on average.
        sone: (values,) its course, ``TOLD_PER_S`` a second.
        specific: (240,) sone a Bark at 0.1, 0.2 … 24 Bark, on average.
    """

    n5_sone: float
    mean_sone: float
    sone: NDArray[np.float64]
    specific: NDArray[np.float64]

    def document(self) -> dict[str, Any]:
        """Plain values; the course is left out."""
        return {
            "n5_sone": round(self.n5_sone, 2),
            "mean_sone": round(self.mean_sone, 2),
            "bark": (BARK * np.arange(1, BARKS + 1)).round(1).tolist(),
            "specific": self.specific.round(4).tolist(),
        }


class SoneMeter:
    """Feeds on blocks; :meth:`perceived` tells what was heard so far."""

    def __init__(self, rate_hz: float) -> None:
        self._bands = ThirdOctaves(rate_hz)
        # half as precise and half as large: 0.0000005 dB
        self._powers: list[NDArray[np.float32]] = []

    def feed(self, block: NDArray[np.float64]) -> None:
        """Hear (2, frames)."""
        self._powers.append(self._bands.feed(block).astype(np.float32))

    def perceived(self, gain_db: float = 0.0) -> Perceived:
        """Loudness of all that was heard, had it been played louder by a gain."""
        state = np.zeros((21, 2))
        sones, specific, count = [np.zeros(0)], np.zeros(BARKS), 0
        for core in self._cores(gain_db):
            ring_on(core, state)
            now = np.ascontiguousarray(core[:, :-1])
            sone, mean = np.empty(now.shape[1]), np.empty(BARKS)
            loudness_course(now, sone, mean)
            sones.append(sone)
            specific += mean * sone.size
            count += sone.size
        told = felt(np.concatenate(sones))[:: STEPS_PER_S // TOLD_PER_S]
        if not told.size:
            return Perceived(0.0, 0.0, told, specific)
        n5 = float(np.percentile(told, 100.0 - PERCENTILE))
        return Perceived(n5, float(told.mean()), told, specific / count)

    def _cores(self, gain_db: float) -> Iterator[NDArray[np.float64]]:
        """Core loudness a minute at a time, (21, steps + 1), with the step that follows; silence follows the last."""
        held: NDArray[np.float64] | None = None
        for powers in self._gathered():
            level_db = np.ascontiguousarray(FULL_SCALE_DB + gain_db + 10.0 * np.log10(np.maximum(powers, 1e-20)))
            core = np.zeros((21, level_db.shape[1]))
            core_loudness(level_db, core)
            if held is not None:
                yield np.concatenate([held, core[:, :1]], axis=1)
            held = core
        if held is not None:
            yield np.concatenate([held, np.zeros((21, 1))], axis=1)

    def _gathered(self) -> Iterator[NDArray[np.float64]]:
        waiting, steps = list[NDArray[np.float32]](), 0
        for part in self._powers:
            waiting.append(part)
            steps += part.shape[1]
            if steps >= AT_ONCE:
                yield np.concatenate(waiting, axis=1).astype(np.float64)
                waiting, steps = [], 0
        if steps:
            yield np.concatenate(waiting, axis=1).astype(np.float64)
