"""Limiter: holds a ceiling, between samples too, by looking ahead and moving the gain smoothly."""

from __future__ import annotations

from typing import Literal

import numpy as np
from numpy.typing import NDArray

from tin_kettle.core.dsp.block import Block
from tin_kettle.core.dsp.decibels import apply_db, db_to_gain, gains
from tin_kettle.core.dsp.delay import DelayLine
from tin_kettle.core.dsp.dynamics import link_levels, one_pole, one_poles
from tin_kettle.core.dsp.limiter_gain import demand_db, mean_pair, release_db, sliding_maximum
from tin_kettle.core.dsp.peaks import HISTORY, LATENCY, interpolator, peaks_between
from tin_kettle.core.dsp.svf import FORGOTTEN
from tin_kettle.core.stages.declarations import Ease, Kind, Params, Picture, choice, number, switch
from tin_kettle.core.stages.number_text import db
from tin_kettle.core.stages.processor import Processor

GUARD = 8
"""Frames around a peak over which the gain stays down, so that interpolation finds nothing above it."""
AUTO_RELEASE_MS, LASTING_RISE_MS, LASTING_FALL_MS = 60.0, 400.0, 900.0
CURVE_IN_DB = np.linspace(-36.0, 12.0, 97)


class LimiterParams(Params):
    gain_db: float = number(
        0,
        0,
        24,
        label="Gain",
        unit="dB",
        ticks=(0, 6, 12, 18, 24),
        says="Raises the level into the ceiling.",
        follows=True,
    )
    ceiling_db: float = number(
        -1,
        -12,
        0,
        label="Ceiling",
        unit="dB",
        ticks=(-12, -9, -6, -3, 0),
        says="Sets the maximum output level.",
        follows=True,
    )
    release_mode: Literal["auto", "manual"] = choice(
        "auto",
        label="Release mode",
        says="Auto releases quickly after a peak and slowly after a loud passage. Manual uses the release time.",
    )
    release_ms: float = number(
        80,
        5,
        1000,
        label="Release time",
        unit="ms",
        scale="log",
        ticks=(5, 20, 50, 100, 300, 1000),
        says="Sets the release time in manual mode.",
        follows=True,
    )
    lookahead_ms: float = number(
        4,
        1,
        10,
        label="Lookahead",
        unit="ms",
        ticks=(1, 4, 7, 10),
        says="Sets how early gain reduction begins: longer is smoother, shorter keeps more punch.",
        delays=True,
    )
    link: float = number(
        1,
        0,
        1,
        label="Stereo link",
        ticks=(0, 0.25, 0.5, 0.75, 1),
        says="At 1 both channels get the same gain reduction and the image is stable.",
    )
    true_peak: bool = switch(
        True,
        label="True peak",
        says="Also limits the peaks between samples.",
        delays=True,
    )


class Limiter(Processor):
    def __init__(self, params: LimiterParams, rate_hz: float) -> None:
        super().__init__()
        p = self._params = params
        self.static_db = p.gain_db
        self._rate_hz = rate_hz
        self._ahead = max(round(p.lookahead_ms * rate_hz / 1000.0), 2 * GUARD + 2)
        self.delay = self._ahead - GUARD + (LATENCY if p.true_peak else 0)
        self.warm_frames = 2 * self._ahead + HISTORY
        automatic = p.release_mode == "auto"
        self.memory_s = FORGOTTEN * (LASTING_FALL_MS if automatic else p.release_ms) / 1000.0
        self._release = one_poles(np.array([AUTO_RELEASE_MS if automatic else p.release_ms]), rate_hz)
        self._limit = db_to_gain(p.ceiling_db) / db_to_gain(p.gain_db)
        self._rise, self._fall = one_pole(LASTING_RISE_MS, rate_hz), one_pole(LASTING_FALL_MS, rate_hz)
        self._taps = interpolator()
        smooth = self._ahead - 2 * GUARD + 2
        self.state = {
            "history": np.zeros((2, HISTORY if p.true_peak else 0)),
            "peaks": np.zeros((2, self._ahead)),
            "release": np.zeros((2, 2)),
            "first": np.zeros((2, smooth // 2), dtype=np.int64),
            "second": np.zeros((2, smooth - smooth // 2), dtype=np.int64),
            "sums": np.zeros((2, 4), dtype=np.int64),
        }
        self.lines = {"line": DelayLine(self.delay)}

    def process(self, block: Block) -> Block:
        p, frames = self._params, block.shape[1]
        # all that is kept is from before the gain, so that a moved gain finds no step in it
        peaks = np.concatenate([self.f64("peaks"), self._peaks(block)], axis=1)
        self.f64("peaks")[:] = peaks[:, frames:]
        if p.link == 1:
            # fully linked sides have one gain: half the work
            peaks = peaks.max(axis=0, keepdims=True)
        demand = np.empty_like(peaks)
        ceiling = self._ceiling(peaks.shape[1])
        for channel in range(len(demand)):
            demand_db(peaks[channel], demand[channel], ceiling)
        if p.link < 1:
            link_levels(demand, np.array([0, peaks.shape[1]]), np.array([p.link]))
        steps, automatic = self.input_values.steps(frames), p.release_mode == "auto"
        release = self._release
        if "release_ms" in self.input_values and not automatic:
            release = one_poles(self.input_values.held("release_ms", p.release_ms, len(steps) - 1), self._rate_hz)
        elif self.input_values:
            release = np.repeat(release, len(steps) - 1)
        scratch = np.empty(demand.shape[1])
        for channel in range(len(demand)):
            row = demand[channel]
            sliding_maximum(row, scratch, self._ahead + 1)
            now = row[:frames]
            release_db(now, steps, release, self._rise, self._fall, automatic, self.f64("release")[channel])
            means = self.i64("first")[channel], self.i64("second")[channel]
            mean_pair(now, *means, frames, self.i64("sums")[channel])
        effort_db = np.ascontiguousarray(-demand[:, :frames])
        self.efforts_db = {"effort_db": effort_db}
        out = self.lines["line"].push(block)
        if "gain_db" in self.output_values:
            gain_db = self.output_values.every("gain_db", p.gain_db, frames)
            apply_db(out, effort_db + gain_db, 0.0)
            self.static_db = gain_db
        else:
            apply_db(out, effort_db, p.gain_db)
        return out

    def _ceiling(self, frames: int) -> NDArray[np.float64]:
        """Where each of the peaks at hand, before the gain, meets the ceiling, (frames,) linear."""
        if not self.input_values:
            return np.full(frames, self._limit)
        # the peak finder is late as well, and what is at hand goes back by the look-ahead
        input_values, whole = self.input_values.earlier(self.delay + GUARD), frames + self.delay + GUARD - self._ahead
        ceiling_db = input_values.every("ceiling_db", self._params.ceiling_db, whole)
        gain_db = input_values.every("gain_db", self._params.gain_db, whole)
        limit = np.empty(frames)
        gains((ceiling_db - gain_db)[:frames], limit)
        return limit

    def adopt(self, other: Processor) -> bool:
        whole = super().adopt(other)
        if isinstance(other, Limiter) and other._params.link == 1:
            for name in ("release", "first", "second", "sums"):
                self.state[name][1] = self.state[name][0]
        return whole

    def _peaks(self, block: Block) -> Block:
        if not self._params.true_peak:
            return np.abs(block)
        joined = np.concatenate([self.f64("history"), block], axis=1)
        self.f64("history")[:] = joined[:, block.shape[1] :]
        peaks = np.empty_like(block)
        for channel in range(2):
            peaks_between(joined[channel], self._taps, peaks[channel])
        return peaks


def _held_again(params: LimiterParams, rate_hz: float, ceiling_db: float | None) -> Processor:
    ceiling_db = params.ceiling_db if ceiling_db is None else ceiling_db
    held = {"gain_db": 0.0, "true_peak": True, "ceiling_db": ceiling_db}
    return Limiter(params.model_copy(update=held), rate_hz)


def _picture(params: LimiterParams, _rate_hz: float) -> Picture:
    out_db = np.minimum(CURVE_IN_DB + params.gain_db, params.ceiling_db)
    return {"in_db": CURVE_IN_DB.tolist(), "out_db": out_db.tolist()}


def _summary(params: LimiterParams) -> str:
    gain = f"{db(params.gain_db)} into " if params.gain_db else ""
    return f"{gain}ceiling {db(params.ceiling_db)}{'TP' if params.true_peak else ''}"


KIND = Kind(
    name="limiter",
    title="Limiter",
    says="Keeps peaks below the ceiling, so that converters and lossy codecs do not clip.",
    sought=("loudness", "lufs", "true peak", "brickwall", "maximise", "ceiling", "peaks"),
    params=LimiterParams,
    build=Limiter,
    picture=_picture,
    summary=_summary,
    channels=("stereo",),
    mixes=False,
    dynamic=True,
    level="gain_db",
    pushes="gain_db",
    louder=True,
    hold=_held_again,
    # a few dB are what a limiter is for
    ease=Ease(3.0, "gain −2 dB", lambda p: {"gain_db": max(0.0, p.gain_db - 2.0)}),
    columns=(
        ("Level", ("gain_db", "ceiling_db")),
        ("Time", ("release_mode", "release_ms", "lookahead_ms")),
        ("Detector", ("link", "true_peak")),
    ),
    active_when={"release_ms": ("release_mode", "manual")},
)
