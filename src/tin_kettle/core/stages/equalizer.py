"""Equalizer: up to sixteen bands, each on stereo, mid, side, left or right, minimum or linear phase."""

from __future__ import annotations

import math
from functools import lru_cache
from typing import Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from tin_kettle.core.dsp import equalizer_filters
from tin_kettle.core.dsp.block import Block
from tin_kettle.core.dsp.mid_side import left_and_right, mid_and_side
from tin_kettle.core.dsp.pass_filters import high_pass, low_pass
from tin_kettle.core.dsp.svf import (
    FADED,
    FORGOTTEN,
    IDENTITY,
    Sections,
    ring_s,
    squared_tangent,
    svf_magnitude,
    svf_response,
    svf_rows,
)
from tin_kettle.core.stages.declarations import Channels, Id, Items, Kind, Params, Picture, choice, number, switch
from tin_kettle.core.stages.filter import HIGHEST_SHARE, PICTURE_HZ, Slope
from tin_kettle.core.stages.linear_phase import LinearPhase, is_reached, reached
from tin_kettle.core.stages.number_text import db, hz
from tin_kettle.core.stages.processor import Processor

Shape = Literal["bell", "low_shelf", "high_shelf", "tilt", "notch", "high_pass", "low_pass", "band_pass"]
GAIN_SHAPES = ("bell", "low_shelf", "high_shelf", "tilt")
LARGE_DB, MANY_BOOSTS = 3.0, 4


class Band(Params):
    """One move of the equalizer."""

    id: Id
    on: bool = switch(True, label="On", says="Turns this band on or off.")
    shape: Shape = choice("bell", label="Shape", says="Sets the filter type of the band.")
    hz: float = number(
        1000,
        10,
        24000,
        label="Frequency",
        unit="Hz",
        scale="log",
        ticks=(10, 30, 100, 300, 1000, 3000, 10000),
        says="Sets the centre of a bell, the half-gain point of a shelf or the corner of a pass.",
    )
    gain_db: float = number(
        0,
        -24,
        24,
        label="Gain",
        unit="dB",
        ticks=(-24, -12, -6, 0, 6, 12, 24),
        says="Boosts or cuts. One or two dB are a lot on a mix.",
    )
    q: float = number(
        0.707,
        0.1,
        40,
        label="Q",
        scale="log",
        ticks=(0.1, 0.3, 0.7, 2, 6, 15, 40),
        says="Sets the bandwidth: low is broad, high is narrow.",
    )
    slope: Slope = choice(12, label="Slope", unit="dB/oct", says="Sets the slope of a high-pass or low-pass.")
    channels: Channels = choice("stereo", label="Channels", says="Works on stereo, mid, side, left or right.")

    @property
    def idle(self) -> bool:
        """Whether it changes nothing."""
        return not self.on or (self.shape in GAIN_SHAPES and self.gain_db == 0.0)

    def sections(self, rate_hz: float) -> Sections:
        """(sections, 5); one that does nothing where a low-pass lies above what the rate carries."""
        if self.idle or (self.shape == "low_pass" and self.hz >= HIGHEST_SHARE * rate_hz):
            return np.array([IDENTITY])
        if self.shape in ("high_pass", "low_pass"):
            make = high_pass if self.shape == "high_pass" else low_pass
            return make(self.hz, self.slope, 20.0 * math.log10(self.q * math.sqrt(2.0)), rate_hz)
        if self.shape in ("notch", "band_pass"):
            return getattr(equalizer_filters, self.shape)(self.hz, self.q, rate_hz)  # type: ignore[no-any-return]
        return getattr(equalizer_filters, self.shape)(self.hz, self.q, self.gain_db, rate_hz)  # type: ignore[no-any-return]


class EqualizerParams(Params):
    phase: Literal["minimum", "linear"] = choice(
        "minimum",
        label="Phase",
        says="Minimum phase has no latency. Linear phase keeps the timing of all frequencies, with latency and slight "
        "pre-ringing.",
        delays=True,
    )
    bands: tuple[Band, ...] = Field(
        default=(),
        max_length=16,
        strict=False,
        json_schema_extra={"label": "Bands", "says": "The bands, each with its own frequency and gain."},
    )


_ROWS: dict[Channels, tuple[int, ...]] = {"stereo": (0, 1), "mid": (0,), "side": (1,), "left": (0,), "right": (1,)}


def _domains(params: EqualizerParams) -> list[tuple[bool, list[Band]]]:
    """Bands that work together: first what treats left and right, then (True) what treats mid and side.

    Stereo bands go with either, since they treat both rows alike.
    """
    active = [band for band in params.bands if not band.idle]
    parts = [band for band in active if band.channels in ("mid", "side")]
    sides = [band for band in active if band.channels in ("left", "right")]
    stereo = [band for band in active if band.channels == "stereo"]
    if parts and not sides:
        return [(True, [band for band in active if band.channels not in ("left", "right")])]
    groups = [(False, [band for band in active if band in sides or band in stereo])] if sides or stereo else []
    return [*groups, (True, parts)] if parts else groups


def _rows(bands: list[Band], rate_hz: float) -> tuple[NDArray[np.float64], dict[str, slice]]:
    """Sections of both rows, (sections, 2, 5), and where each band's are."""
    listed, places, at = [], {}, 0
    for band in bands:
        made = band.sections(rate_hz)
        both = np.empty((len(made), 2, 5))
        both[:] = IDENTITY
        for row in _ROWS[band.channels]:
            both[:, row] = made
        listed.append(both)
        places[band.id] = slice(at, at + len(made))
        at += len(made)
    return np.concatenate(listed), places


class Equalizer(Processor):
    """Minimum phase. A band keeps its state when others come, go or move."""

    def __init__(self, params: EqualizerParams, rate_hz: float) -> None:
        super().__init__()
        self._domains = [(turned, *_rows(bands, rate_hz)) for turned, bands in _domains(params)]
        self.state = {f"rows {int(turned)}": np.zeros((len(rows), 2, 2)) for turned, rows, _ in self._domains}
        each_s = [ring_s(rows.reshape(-1, 5), rate_hz) for _, rows, _ in self._domains]
        self.tail_s, self.memory_s = FADED * max(each_s, default=0.0), FORGOTTEN * max(each_s, default=0.0)

    def process(self, block: Block) -> Block:
        for turned, rows, _ in self._domains:
            block = mid_and_side(block) if turned else block.copy()
            svf_rows(block, rows, self.f64(f"rows {int(turned)}"))
            if turned:
                block = left_and_right(block)
        return block

    def adopt(self, other: Processor) -> bool:
        theirs = {} if not isinstance(other, Equalizer) else other._states()
        for turned, _, places in self._domains:
            for band, place in places.items():
                state, was_turned = theirs.get(band, (np.zeros((0, 2, 2)), turned))
                if len(state) == place.stop - place.start:
                    if turned != was_turned:
                        # sections are linear: their states are of mid and side what they are of left and right
                        rows = state.swapaxes(0, 1)
                        state = (mid_and_side(rows) if turned else left_and_right(rows)).swapaxes(0, 1)
                    self.state[f"rows {int(turned)}"][place] = state
        return True

    def _states(self) -> dict[str, tuple[NDArray[np.float64], bool]]:
        """Of every band the states of its sections, (sections, 2, 2), and whether they are of mid and side."""
        return {
            band: (self.f64(f"rows {int(turned)}")[place], turned)
            for turned, _, places in self._domains
            for band, place in places.items()
        }


def build(params: EqualizerParams, rate_hz: float) -> Processor:
    """The processor for the chosen phase."""
    if params.phase == "minimum":
        return Equalizer(params, rate_hz)
    return LinearPhase([(turned, _rows(bands, rate_hz)[0]) for turned, bands in _domains(params)], rate_hz)


def response(params: EqualizerParams, at_hz: NDArray[np.float64], rate_hz: float) -> NDArray[np.complex128]:
    """What left and right become of left and right, (2, 2, points), the delay of linear phase left out."""
    total = np.zeros((2, 2, at_hz.size), dtype=np.complex128)
    total[0, 0] = total[1, 1] = 1.0
    turn = np.array([[0.5, 0.5], [0.5, -0.5]])
    for turned, bands in _domains(params):
        rows = _rows(bands, rate_hz)[0]
        one = np.zeros_like(total)
        for row in range(2):
            linear = params.phase == "linear"
            one[row, row] = (reached if linear else svf_response)(rows[:, row], at_hz, rate_hz)
        if turned:
            one = np.einsum("ij,jkp,kl->ilp", np.linalg.inv(turn), one, turn)
        total = np.einsum("ijp,jkp->ikp", one, total)
    return total


@lru_cache(maxsize=512)
def _bands_db(bands: tuple[Band, ...], linear: bool, rate_hz: float) -> NDArray[np.float64]:
    """Level at the picture's frequencies; while one band is dragged, the curves of the others stay."""
    at_hz = _picture_hz(rate_hz)
    sections = [band.sections(rate_hz) for band in bands]
    if linear and not all(is_reached(rows, rate_hz) for rows in sections):
        magnitude = reached(np.concatenate(sections), at_hz, rate_hz)
    elif len(bands) == 1:
        magnitude = svf_magnitude(sections[0], squared_tangent(at_hz, rate_hz))
    else:
        return np.asarray(sum((_bands_db((band,), linear, rate_hz) for band in bands), np.zeros(at_hz.size)))
    return np.asarray(20.0 * np.log10(np.maximum(magnitude, 1e-6)))


def _curve_db(bands: list[Band], linear: bool, rate_hz: float) -> list[float]:
    return np.maximum(_bands_db(tuple(bands), linear, rate_hz), -120.0).round(3).tolist()  # type: ignore[no-any-return]


def _picture_hz(rate_hz: float) -> NDArray[np.float64]:
    return PICTURE_HZ[rate_hz * HIGHEST_SHARE > PICTURE_HZ]


def _picture(params: EqualizerParams, rate_hz: float) -> Picture:
    at_hz = _picture_hz(rate_hz)
    used = {band.channels for band in params.bands}
    plots: list[Channels] = ["stereo"]
    if used & {"mid", "side"}:
        plots = ["mid", "side"]
    if used & {"left", "right"}:
        plots = [*plots, "left", "right"] if len(plots) > 1 else ["left", "right"]
    active, linear = [band for band in params.bands if band.on], params.phase == "linear"
    of = {plot: [b for b in active if b.channels in ("stereo", plot)] for plot in plots}
    return {
        "hz": at_hz.round(3).tolist(),
        "plots": {plot: _curve_db(bands, linear, rate_hz) for plot, bands in of.items()},
        "bands": {band.id: _curve_db([band], linear, rate_hz) for band in params.bands},
        "notes": notes(params),
    }


_WHERE = {"stereo": "", "mid": ", mid only", "side": ", side only", "left": ", left only", "right": ", right only"}
_WORDS = {"notch": "notch at", "high_pass": "low cut", "low_pass": "high cut", "band_pass": "only around"}
_PLACES = {"bell": "around", "low_shelf": "below", "high_shelf": "above", "tilt": "tilted about"}


def describe_band(band: Band) -> str:
    """One move in words: ``1.8 dB off around 3.4 kHz, mid only``."""
    where = _WHERE[band.channels]
    if band.shape in _WORDS:
        return f"{_WORDS[band.shape]} {hz(band.hz)}{where}"
    move = f"{db(abs(band.gain_db), signed=False)} {'more' if band.gain_db > 0 else 'off'}"
    if band.shape == "tilt":
        move = f"{db(band.gain_db)}"
    return f"{move} {_PLACES[band.shape]} {hz(band.hz)}{where}"


def notes(params: EqualizerParams) -> list[str]:
    """Gentle advice with its reason, where a setting asks for it."""
    active = [band for band in params.bands if not band.idle and band.shape in GAIN_SHAPES]
    said = [
        f"{db(band.gain_db)} at {hz(band.hz)} is a large move on a whole mix; "
        "above 3 dB the cause is often easier to mend in the mix."
        for band in active
        if abs(band.gain_db) > LARGE_DB
    ]
    boosts = [band for band in active if band.gain_db > 0]
    if len(boosts) >= MANY_BOOSTS:
        said.append(f"{len(boosts)} boosts: cutting what covers them often does the same with less.")
    return said


def _summary(params: EqualizerParams) -> str:
    active = [band for band in params.bands if not band.idle]
    if not active:
        return "flat"
    if len(active) <= 2:
        return " · ".join(describe_band(band) for band in active)
    gains = [band.gain_db for band in active if band.shape in GAIN_SHAPES]
    span = f" · {db(max(gains))} / {db(min(gains))}".replace(" dB /", " /") if gains else ""
    return f"{len(active)} bands{span}"


KIND = Kind(
    name="equalizer",
    title="Equalizer",
    says="Shapes the tone of stereo, mid or side.",
    sought=(
        "eq",
        "tone",
        "mid-side",
        "air",
        "mud",
        "tilt",
        "bell",
        "shelf",
        "notch",
        "presence",
        "bright",
        "dull",
        "linear phase",
    ),
    params=EqualizerParams,
    build=build,
    picture=_picture,
    summary=_summary,
    response=response,
    hz_params=lambda p: [
        (f"bands[{i}].hz", band.hz) for i, band in enumerate(p.bands) if band.on and band.shape != "low_pass"
    ],
    channels=("stereo",),
    items={"bands": Items("Band", Band, describe_band)},
)
