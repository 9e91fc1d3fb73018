"""Hits, tonal and rest: a sound divided by the shape of its spectrogram; the three sum to it exactly."""

from __future__ import annotations

import math
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from tin_kettle.core.dsp.block import Block
from tin_kettle.core.dsp.delay import DelayLine
from tin_kettle.core.dsp.hits_and_tones import NINE, parts, weighed
from tin_kettle.core.dsp.resonance_cuts import overlap, power_of
from tin_kettle.core.dsp.transforms import irfft, rfft
from tin_kettle.core.stages.divider import Divider

Resolution = Literal[21, 43, 85]
FRAME_HZ = {21: 1024 / 48000, 43: 2048 / 48000, 85: 4096 / 48000}
HOPS = 2
"""Frames that overlap."""
AHEAD = NINE // 2
"""Frames that are waited for, so that a tone is known by what follows too."""
APART_HZ = 47.0
"""Distance of the neighbours over which a hit is told."""


class HitsTonalRest(Divider):
    """Gives three parts of a block, ``delay`` frames late; frames lie at the same places of the song always."""

    def __init__(self, resolution_ms: Resolution, rate_hz: float) -> None:
        super().__init__()
        self._frame = 1 << round(math.log2(FRAME_HZ[resolution_ms] * rate_hz))
        self._hop = self._frame // HOPS
        self.delay = self._frame + AHEAD * self._hop
        self.warm_frames = self.delay + NINE * self._hop
        bins = self._frame // 2 + 1
        # half of a frame apart, squares of this add up to 1
        self._window = np.sin(np.pi * (np.arange(self._frame) + 0.5) / self._frame)
        self._apart = max(1, round(APART_HZ * self._frame / rate_hz))
        self.lines = {"line": DelayLine(self.delay)}
        self.state = {
            "past": np.zeros((2, self._frame)),
            "spectra": np.zeros((AHEAD + 1, 2, bins), dtype=np.complex128),
            "powers": np.zeros((NINE, bins)),
            "coming": np.zeros((2, 2, self._frame)),
            "ready": np.zeros((2, 2, self._hop)),
            "filled": np.full(2, -1, dtype=np.int64),
        }

    def divide(self, block: Block) -> list[Block]:
        """Hits, tonal and rest of the next (2, frames)."""
        past, ready, filled = self.f64("past"), self.f64("ready"), self.i64("filled")
        if filled[0] < 0:
            # frames begin at the same places of the song whenever one begins to listen
            start = self.span.runs[0][0] if self.span is not None else 0
            filled[:] = start % self._hop, start // self._hop % NINE
        frames = block.shape[1]
        hits, tonal = np.empty((2, frames)), np.empty((2, frames))
        done = 0
        while done < frames:
            at = int(filled[0])
            run = min(self._hop - at, frames - done)
            base = self._frame - self._hop + at
            past[:, base : base + run] = block[:, done : done + run]
            hits[:, done : done + run] = ready[0, :, at : at + run]
            tonal[:, done : done + run] = ready[1, :, at : at + run]
            filled[0] = at + run
            done += run
            if filled[0] == self._hop:
                self._turn(int(filled[1]))
                filled[:] = 0, (filled[1] + 1) % NINE
        rest = self.lines["line"].push(block) - hits
        rest -= tonal
        return [hits, tonal, rest]

    def _turn(self, turn: int) -> None:
        """Take the frame that is full, and give the one before the last few back in parts."""
        past, powers = self.f64("past"), self.f64("powers")
        spectra: NDArray[np.complex128] = self.state["spectra"]  # type: ignore[assignment]
        newest = np.ascontiguousarray(rfft(past * self._window))
        spectra[:-1] = spectra[1:].copy()
        spectra[-1] = newest
        power_of(newest[None], 1.0, powers[turn : turn + 1])
        told = np.empty((2, newest.shape[1]))
        parts(powers, np.ascontiguousarray(powers[(turn - AHEAD) % NINE]), self._apart, told)
        heard = spectra[0]
        for part in range(2):
            share = np.empty_like(heard)
            weighed(np.ascontiguousarray(heard), told[part], share)
            made = irfft(share, self._frame)
            overlap(made[None], self._window, self.f64("coming")[part], self.f64("ready")[part])
        past[:, : -self._hop] = past[:, self._hop :].copy()
