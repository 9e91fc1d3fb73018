"""The way from the sound to the ear: range, then place, then fold."""

from __future__ import annotations

import numpy as np

from tin_kettle.core.dsp.block import Block
from tin_kettle.core.dsp.decibels import db_to_gain
from tin_kettle.core.dsp.pass_filters import high_pass, low_pass
from tin_kettle.core.dsp.peaks import interpolator
from tin_kettle.core.dsp.svf import Sections, svf_cascade
from tin_kettle.core.listen.listening_settings import Fold, Listening
from tin_kettle.core.listen.speakers import PLACES, place_sections
from tin_kettle.core.stages.processor import Processor

RANGE_SLOPE = 48
HIGHEST_SHARE = 0.49
MOST_SECTIONS = 24


def fold(block: Block, kind: Fold) -> Block:
    """What becomes of two sides, (2, frames)."""
    left, right = block
    if kind in ("mono", "mid"):
        both = 0.5 * (left + right)
        return np.stack([both, both])
    if kind == "mono_one":
        return np.stack([0.5 * (left + right), np.zeros_like(left)])
    if kind == "side":
        both = 0.5 * (left - right)
        return np.stack([both, both])
    if kind in ("left", "right"):
        return np.stack([left, left] if kind == "left" else [right, right])
    return block


def range_sections(listening: Listening, rate_hz: float) -> Sections:
    """The filter that leaves only the chosen range, (sections, 5)."""
    parts = [np.zeros((0, 5))]
    if listening.range == "band":
        parts.append(high_pass(min(listening.low_hz, HIGHEST_SHARE * rate_hz), RANGE_SLOPE, 0.0, rate_hz))
    if listening.range != "all" and listening.high_hz < HIGHEST_SHARE * rate_hz:
        parts.append(low_pass(listening.high_hz, RANGE_SLOPE, 0.0, rate_hz))
    return np.concatenate(parts)


class Monitor(Processor):
    """Range, place and fold at one setting.

    Args:
        turn_down_db: what a streaming service would take off this song, at most 0.
    """

    def __init__(self, listening: Listening, rate_hz: float, turn_down_db: float = 0.0) -> None:
        super().__init__()
        self.listening = listening
        self.turn_down_db = turn_down_db
        self._range = range_sections(listening, rate_hz)
        self._place = place_sections(listening.place, rate_hz)
        place = PLACES[listening.place]
        self._mono = place.mono
        self._ceiling = None if place.gives_up_db is None else db_to_gain(place.gives_up_db)
        self._gain = db_to_gain(turn_down_db) if listening.place == "streaming" else 1.0
        self._between = listening.place == "converter"
        self.state = {
            "range": np.zeros((MOST_SECTIONS, 2, 2)),
            "place": np.zeros((MOST_SECTIONS, 2, 2)),
            "history": np.zeros((2, interpolator().shape[1] if self._between else 0)),
        }

    @property
    def plain(self) -> bool:
        """Whether it changes nothing."""
        now = self.listening
        return now.fold == "stereo" and now.range == "all" and now.place == "studio"

    def process(self, block: Block) -> Block:
        if self.plain:
            return block
        out = block * self._gain
        svf_cascade(out, self._range, self.f64("range"))
        svf_cascade(out, self._place, self.f64("place"))
        if self._between:
            out = self._clip_between(out)
        if self._mono:
            out = fold(out, "mono")
        if self._ceiling is not None:
            out = self._ceiling * np.tanh(out / self._ceiling)
        return fold(out, self.listening.fold)

    def _clip_between(self, block: Block) -> Block:
        """Clip the four-fold interpolation at full scale and take the mean of each sample's four points.

        The mean is a gentle low-pass, as such a converter has; what lies above full scale between samples is gone.
        """
        history, taps = self.f64("history"), interpolator()
        joined = np.concatenate([history, block], axis=1)
        history[:] = joined[:, block.shape[1] :]
        frames, length = block.shape[1], taps.shape[1]
        start = length - length // 2
        points = [joined[:, start : start + frames]]
        for row in taps:
            made = [np.convolve(side, row[::-1], mode="valid")[1 : frames + 1] for side in joined]
            points.append(np.stack(made))
        return np.asarray(np.mean([np.clip(point, -1.0, 1.0) for point in points], axis=0))
