"""A record laid out in time: songs at their levels, with gaps, crossfades and fades; all of it, or its joins."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from tin_kettle.core.dsp.block import Block
from tin_kettle.core.dsp.decibels import db_to_gain
from tin_kettle.core.dsp.fades import fade_gains
from tin_kettle.core.engine.source import Source
from tin_kettle.core.errors import AudioError
from tin_kettle.core.measure.loudness import SLOTS_PER_S
from tin_kettle.core.record.document import SongLayout

JOIN_S = 8.0
"""What is heard of each song about a join."""
SILENT_ENERGY = 10.0 ** (-7.0)
"""−70 dB: what a fade leaves below that is not missed."""
BREATH_S = 0.1
CUT_S = 0.02
"""A passage that is cut out begins and ends this softly."""


def kept_part(laid: SongLayout, seconds: float) -> tuple[float, float | None]:
    """From where to where a song of so many seconds is kept; None is its end.

    A song may come back shorter than it was: an end behind its own is its own.

    Raises:
        AudioError: nothing is left of it.
    """
    end_s = laid.end_s if laid.end_s is not None and laid.end_s < seconds else None
    if laid.start_s >= (seconds if end_s is None else end_s):
        raise AudioError(
            f"from {laid.start_s:g} s to {seconds if end_s is None else end_s:g} s nothing is left of a song of "
            f"{seconds:g} s; let it start before it ends"
        )
    return laid.start_s, end_s


def rings_on(laid: SongLayout, seconds: float) -> bool:
    """Whether a song of so many seconds ends by itself: neither cut nor faded out."""
    return kept_part(laid, seconds)[1] is None and laid.fade_out_s == 0.0


def left_of(laid: SongLayout, frames: int, rate_hz: int) -> tuple[int, int]:
    """The frames that are left of a song of so many.

    Raises:
        AudioError: nothing is.
    """
    start_s, end_s = kept_part(laid, frames / rate_hz)
    start, end = round(start_s * rate_hz), frames if end_s is None else min(frames, round(end_s * rate_hz))
    return min(start, end - 1), end


def sounding_s(energy: NDArray[np.float64]) -> tuple[float, float]:
    """Where a song of K-weighted energies of 10 ms begins and ends to sound, in seconds, with a breath about it."""
    there = np.flatnonzero(energy > SILENT_ENERGY)
    if not there.size:
        return 0.0, len(energy) / SLOTS_PER_S
    first, last = there[0] / SLOTS_PER_S - BREATH_S, (there[-1] + 1) / SLOTS_PER_S + BREATH_S
    return max(0.0, float(first)), min(float(last), len(energy) / SLOTS_PER_S)


class RecordSource:
    """Mastered songs as one source of (2, frames).

    Args:
        tails: how many of a song's last frames come after its end: they ring on over what follows. None where all
            have none.

    Raises:
        AudioError: their rates differ, there are none, or nothing is left of one.
    """

    def __init__(self, songs: Sequence[tuple[Source, SongLayout]], tails: Sequence[int] | None = None) -> None:
        if not songs:
            raise AudioError("the record has no songs; add one")
        rates = {source.rate_hz for source, _ in songs}
        if len(rates) > 1:
            listed = ", ".join(f"{rate} Hz" for rate in sorted(rates))
            raise AudioError(
                f"the songs' rates differ ({listed}); they go in a row when all have one, or by a spec that has"
            )
        self.rate_hz = rates.pop()
        self._songs = []
        self.starts: list[int] = []
        end = 0
        for n, ((source, laid), tail) in enumerate(zip(songs, tails or [0] * len(songs), strict=True)):
            frames = source.frames - tail
            first, last = left_of(laid, frames, self.rate_hz)
            rings = tail if rings_on(laid, frames / self.rate_hz) else 0
            # the first song's gap is before the record; none overlaps more than the one before it is long
            gap = round(laid.gap_s * self.rate_hz) if n else 0
            start = max(end + gap, self.starts[-1] if n else 0)
            self.starts.append(start)
            self._songs.append((source, laid, start, first, last, rings))
            end = max(end, start + last - first)
        self.frames = max(self.silent_from())

    def read(self, start: int, frames: int) -> Block:
        """(2, frames) from ``start``; silence between the songs."""
        out = np.zeros((2, frames))
        for source, laid, begins, first, last, rings in self._songs:
            length = last - first
            low, high = max(start, begins), min(start + frames, begins + length + rings)
            if low >= high:
                continue
            part = source.read(first + low - begins, high - low)
            fades = (laid.fade_in_s * self.rate_hz, laid.fade_out_s * self.rate_hz)
            gains = fade_gains(low - begins, high - low, length, *fades, laid.fade_shape)
            out[:, low - start : high - start] += part * (db_to_gain(laid.gain_db) * gains)
        return out

    def ends(self) -> list[int]:
        """Where each song ends."""
        return [start + last - first for _, _, start, first, last, _ in self._songs]

    def silent_from(self) -> list[int]:
        """Where nothing is heard of each song any more: its end, and what rings on."""
        return [end + song[-1] for end, song in zip(self.ends(), self._songs, strict=True)]

    def joins(self) -> list[tuple[int, int]]:
        """The last and the first seconds about every join."""
        around = round(JOIN_S * self.rate_hz)
        ends = self.ends()
        return [
            (max(self.starts[n], ends[n] - around), min(ends[n + 1], self.starts[n + 1] + around))
            for n in range(len(self.starts) - 1)
        ]


class Excerpts:
    """Passages of a source one after the other, each cut softly."""

    def __init__(self, source: Source, spans: Sequence[tuple[int, int]]) -> None:
        if not spans:
            raise AudioError("a single song has no joins; add another")
        self._source, self._spans = source, spans
        self.rate_hz = source.rate_hz
        lengths = [end - start for start, end in spans]
        self.starts = [sum(lengths[:n]) for n in range(len(lengths))]
        self.frames = sum(lengths)

    def read(self, start: int, frames: int) -> Block:
        """(2, frames) from ``start``."""
        out = np.zeros((2, frames))
        cut = CUT_S * self.rate_hz
        for begins, (first, last) in zip(self.starts, self._spans, strict=True):
            length = last - first
            low, high = max(start, begins), min(start + frames, begins + length)
            if low < high:
                part = self._source.read(first + low - begins, high - low)
                part *= fade_gains(low - begins, high - low, length, cut, cut, "smooth")
                out[:, low - start : high - start] = part
        return out
