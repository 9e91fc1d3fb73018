"""Dynamic equalizer: pins that move with the level of what they are at.

A pin's level is that of the stage's input through a band-pass at its frequency, or a pass of 12 dB/oct for a shelf, the
louder side of two. Its gain goes from the resting one towards resting plus range as the level is farther beyond the
threshold; it moves with every sample, softened like the bus compressor's.
"""

from __future__ import annotations

from typing import Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from tin_kettle.core.dsp.block import Block
from tin_kettle.core.dsp.delay import DelayLine
from tin_kettle.core.dsp.detector_levels import LEFT, MID, RIGHT, SIDE, STEREO, heard_levels
from tin_kettle.core.dsp.dynamic_curves import Shape, gain_response
from tin_kettle.core.dsp.dynamic_filters import gain_tables, moving_section
from tin_kettle.core.dsp.dynamics import (
    keep_stronger,
    one_pole,
    soft_edge,
)
from tin_kettle.core.dsp.equalizer_filters import band_pass
from tin_kettle.core.dsp.pass_filters import high_pass, low_pass
from tin_kettle.core.dsp.svf import FORGOTTEN, IDENTITY, Sections
from tin_kettle.core.stages import dynamics
from tin_kettle.core.stages.declarations import Channels, Id, Items, Kind, Params, Picture, choice, number, switch
from tin_kettle.core.stages.filter import HIGHEST_SHARE, PICTURE_HZ
from tin_kettle.core.stages.gain_followers import Follower, GainFollowers, StaticCurve
from tin_kettle.core.stages.number_text import db, hz
from tin_kettle.core.stages.processor import Processor

ATTACK_PERIODS, RELEASE_PERIODS = 5.0, 25.0
ATTACK_MS, RELEASE_MS = (1.0, 60.0), (20.0, 400.0)
"""Between which times those by frequency stay."""
MOST_DETECTOR_SECTIONS = 2
COMPONENTS: dict[Channels, int] = {"stereo": STEREO, "left": LEFT, "right": RIGHT, "mid": MID, "side": SIDE}


class MovingBand(Params):
    """One place that moves."""

    id: Id
    on: bool = switch(True, label="On", says="Turns this band on or off.")
    shape: Shape = choice(
        "bell",
        label="Shape",
        says="Sets the shape: bell, shelf, or a flat top with steep edges.",
    )
    hz: float = number(
        1000,
        10,
        24000,
        label="Frequency",
        unit="Hz",
        scale="log",
        ticks=(10, 30, 100, 300, 1000, 3000, 10000),
        says="Sets the frequency of the band and of its detector.",
    )
    q: float = number(
        1,
        0.1,
        40,
        label="Q",
        scale="log",
        ticks=(0.1, 0.3, 1, 3, 10, 40),
        says="Sets the bandwidth of the band and of its detector: higher is narrower.",
    )
    gain_db: float = number(
        0, -24, 24, label="Gain", unit="dB", ticks=(-24, -12, 0, 12, 24), says="Sets the static gain of the band."
    )
    range_db: float = number(
        0,
        -24,
        24,
        label="Range",
        unit="dB",
        ticks=(-24, -12, 0, 12, 24),
        says="Sets the largest dynamic gain change: negative cuts, positive boosts.",
    )
    when: Literal["above", "below"] = choice(
        "above", label="Acts", says="Moves when the detector is above or below the threshold."
    )
    threshold_db: float = dynamics.threshold("Sets the detector level from which this band moves.", -24, -80)
    ratio: float = dynamics.ratio("Sets how far it moves for each dB beyond the threshold.", 3)
    timing: Literal["by_frequency", "manual"] = choice(
        "by_frequency",
        label="Timing",
        says="By frequency is fast for highs and slow for lows. Manual uses attack and release.",
    )
    attack_ms: float = dynamics.attack("Sets how fast it follows a rising detector level.", 10)
    release_ms: float = dynamics.release("Sets how fast it follows a falling detector level.")
    channels: Channels = choice("stereo", label="Channels", says="Works on stereo, mid, side, left or right.")

    @property
    def moves(self) -> bool:
        """Whether anything can move it."""
        return self.on and self.range_db != 0 and self.ratio > 1

    @property
    def idle(self) -> bool:
        """Whether it changes nothing."""
        return not self.moves and (not self.on or self.gain_db == 0)

    @property
    def times_ms(self) -> tuple[float, float]:
        """Attack and release."""
        if self.timing == "manual":
            return self.attack_ms, self.release_ms
        period_ms = 1000.0 / self.hz
        attack_ms = min(max(ATTACK_PERIODS * period_ms, ATTACK_MS[0]), ATTACK_MS[1])
        return attack_ms, min(max(RELEASE_PERIODS * period_ms, RELEASE_MS[0]), RELEASE_MS[1])


class DynamicEqualizerParams(Params):
    bands: tuple[MovingBand, ...] = Field(
        default=(),
        max_length=12,
        strict=False,
        json_schema_extra={"label": "Pins", "says": "The bands, each with its own detector."},
    )


def _follower(band: MovingBand, rate_hz: float) -> Follower:
    asking = StaticCurve(band.when == "below", band.threshold_db, 1.0 / band.ratio - 1.0, 0.0, abs(band.range_db))
    return Follower(asking, *(one_pole(time_ms, rate_hz) for time_ms in band.times_ms))


def _hears(band: MovingBand, rate_hz: float) -> Sections:
    if band.shape == "low_shelf":
        return low_pass(band.hz, 12, 0.0, rate_hz)
    if band.shape == "high_shelf":
        return high_pass(band.hz, 12, 0.0, rate_hz)
    return band_pass(band.hz, band.q, rate_hz)


def _component(block: Block, channels: Channels) -> Block:
    """The one component that a pin treats, (2, frames), in both rows."""
    if channels in ("left", "right"):
        one = block[0 if channels == "left" else 1]
    else:
        one = 0.5 * (block[0] + block[1]) if channels == "mid" else 0.5 * (block[0] - block[1])
    return np.stack([one, one])


class DynamicEqualizer(Processor):
    def __init__(self, params: DynamicEqualizerParams, rate_hz: float) -> None:
        super().__init__()
        self._rate_hz = rate_hz
        self._bands = [band for band in params.bands if not band.idle]
        # what moves comes first among the detectors
        self._detectors = sorted(self._bands, key=lambda band: not band.moves)
        self._moving = [band for band in self._detectors if band.moves]
        edge = soft_edge(rate_hz)
        self._followers = GainFollowers({(band.id, 0): _follower(band, rate_hz) for band in self._moving}, edge)
        self.delay = self.warm_frames = len(edge) // 2
        self.lines = {"line": DelayLine(self.delay)}
        heard = [_hears(band, rate_hz) for band in self._detectors]
        self._counts = np.array([len(sections) for sections in heard], dtype=np.int64)
        self._hears = np.full((len(heard), MOST_DETECTOR_SECTIONS, 5), IDENTITY)
        for row, sections in zip(self._hears, heard, strict=True):
            row[: len(sections)] = sections
        self._components = np.array([COMPONENTS[band.channels] for band in self._detectors], dtype=np.int64)
        self._tables = {
            band.id: gain_tables(
                band.shape, band.hz, band.q, band.gain_db, band.range_db if band.moves else 0.0, rate_hz
            )
            for band in self._bands
        }
        slowest_ms = max((max(band.times_ms) + 1000.0 * band.q / band.hz for band in self._bands), default=0.0)
        self.memory_s = FORGOTTEN * slowest_ms / 1000.0
        self.state = {"heard": np.zeros((len(heard), MOST_DETECTOR_SECTIONS, 2, 2)), **self._followers.silence}
        self._filters = {band.id: f"filter {band.id} {band.shape}" for band in self._bands}
        for band in self._bands:
            self.state[self._filters[band.id]] = np.zeros((len(self._tables[band.id]), 2, 2))

    def process(self, block: Block) -> Block:
        out = self.lines["line"].push(block)
        frames = block.shape[1]
        strongest = np.zeros((1, frames))
        levels_db = np.empty((len(self._detectors), frames))
        moves_db = np.empty_like(levels_db)
        heard_levels(block, self._components, self._counts, self._hears, self.f64("heard"), levels_db)
        self._followers.move(levels_db, moves_db, self.state)
        for band, move_db in zip(self._moving, moves_db, strict=False):
            if band.range_db > 0:
                np.negative(move_db, out=move_db)
        moved = {band.id: moves_db[row : row + 1] for row, band in enumerate(self._detectors)}
        for band in self._bands:
            self._filter(band, out, moved[band.id][0])
            keep_stronger(moved[band.id], strongest)
        self.efforts_db = {"effort_db": strongest, **{f"effort_{band.id}": moved[band.id] for band in self._bands}}
        self.levels_db = {f"level_{band.id}": levels_db[row : row + 1] for row, band in enumerate(self._detectors)}
        return out

    def adopt(self, other: Processor) -> bool:
        whole = super().adopt(other)
        if isinstance(other, DynamicEqualizer):
            self._followers.adopt(self.state, other._followers, other.state)
            theirs = {band.id: heard for band, heard in zip(other._detectors, other.f64("heard"), strict=True)}
            for band, heard in zip(self._detectors, self.f64("heard"), strict=True):
                heard[:] = theirs.get(band.id, 0.0)
        return whole

    def _filter(self, band: MovingBand, out: Block, move_db: NDArray[np.float64]) -> None:
        treated = out if band.channels == "stereo" else _component(out, band.channels)
        rows = 2 if band.channels == "stereo" else 1
        range_db = band.range_db if band.moves else 0.0
        for state, table in zip(self.f64(self._filters[band.id]), self._tables[band.id], strict=True):
            moving_section(treated, rows, table, move_db, range_db, state)
        if band.channels in ("left", "right"):
            out[0 if band.channels == "left" else 1] = treated[0]
        elif band.channels != "stereo":
            mid = treated[0] if band.channels == "mid" else 0.5 * (out[0] + out[1])
            side = treated[0] if band.channels == "side" else 0.5 * (out[0] - out[1])
            out[0], out[1] = mid + side, mid - side


def band_curve_db(band: MovingBand, gain_db: float, at_hz: NDArray[np.float64], rate_hz: float) -> NDArray[np.float64]:
    """Level of a pin while its gain is this, (points,) dB."""
    reached = gain_response(band.shape, band.hz, band.q, gain_db, at_hz, rate_hz)
    return np.asarray(20.0 * np.log10(np.maximum(np.abs(reached), 1e-6)))


def _picture(params: DynamicEqualizerParams, rate_hz: float) -> Picture:
    """Of every pin its curve at rest and as far as it may move; zeros where it is off."""
    at_hz = PICTURE_HZ[rate_hz * HIGHEST_SHARE > PICTURE_HZ]

    def drawn(band: MovingBand, gain_db: float) -> list[float]:
        curve = band_curve_db(band, gain_db, at_hz, rate_hz) if band.on else np.zeros(at_hz.size)
        return curve.round(3).tolist()  # type: ignore[no-any-return]

    return {
        "hz": at_hz.round(3).tolist(),
        "rest": {band.id: drawn(band, band.gain_db) for band in params.bands},
        "reach": {band.id: drawn(band, max(-48.0, min(48.0, band.gain_db + band.range_db))) for band in params.bands},
    }


_PLACES = {"bell": "around", "low_shelf": "below", "high_shelf": "above", "flat_top": "across"}
_WHERE = {"stereo": "", "mid": ", mid only", "side": ", side only", "left": ", left only", "right": ", right only"}


def _place(band: MovingBand) -> str:
    return f"{_PLACES[band.shape]} {hz(band.hz)}{_WHERE[band.channels]}"


def describe_band(band: MovingBand) -> str:
    """One pin in words; nothing where it does nothing."""
    if band.idle:
        return ""
    place = _place(band)
    rest = f"{db(band.gain_db)} " if band.gain_db else ""
    if not band.moves:
        return f"{rest}{place}"
    turn = "off" if band.range_db < 0 else "more"
    reach = f"up to {db(abs(band.range_db), signed=False)} {turn}"
    quiet = " where it is quiet" if band.when == "below" else ""
    return f"{rest}{reach} {place}{quiet}"


def _summary(params: DynamicEqualizerParams) -> str:
    active = [band for band in params.bands if not band.idle]
    if not active:
        return "flat, nothing moves"
    if len(active) <= 2:
        return " · ".join(describe_band(band) for band in active)
    return f"{len(active)} bands, {sum(pin.moves for pin in active)} of them dynamic"


KIND = Kind(
    name="dynamic_equalizer",
    title="Dynamic equalizer",
    says="Equalizes only when needed: sibilance, a boomy note, harsh cymbals, a weak kick.",
    sought=("de-ess", "sibilance", "boomy", "dynamic eq", "ess", "cymbals", "resonance", "harsh", "plosives"),
    params=DynamicEqualizerParams,
    build=DynamicEqualizer,
    picture=_picture,
    summary=_summary,
    hz_params=lambda p: [(f"bands[{i}].hz", band.hz) for i, band in enumerate(p.bands) if band.on],
    channels=("stereo",),
    dynamic=True,
    items={"bands": Items("Pin", MovingBand, describe_band, place=lambda p, i: _place(p.bands[i]))},
)
