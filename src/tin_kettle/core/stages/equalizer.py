"""Equalizer: up to sixteen bands, each on stereo, mid, side, left or right, minimum or linear phase."""

from __future__ import annotations

import math
from functools import lru_cache
from typing import Annotated, Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from tin_kettle.core.dsp import shapes
from tin_kettle.core.dsp.convolve import PARTS, convolve, convolver_state, partitioned, symmetric_taps
from tin_kettle.core.dsp.delay import delayed
from tin_kettle.core.dsp.passes import high_pass, low_pass
from tin_kettle.core.dsp.svf import IDENTITY, Sections, svf_response, svf_rows
from tin_kettle.core.stages.declare import Channels, Kind, Params, Picture, choice, number, switch
from tin_kettle.core.stages.filter import HIGHEST_SHARE, PICTURE_HZ, Slope
from tin_kettle.core.stages.processor import Block, Processor
from tin_kettle.core.stages.words import db, hz

Shape = Literal["bell", "low_shelf", "high_shelf", "tilt", "notch", "high_pass", "low_pass", "band_pass"]
GAIN_SHAPES = ("bell", "low_shelf", "high_shelf", "tilt")
RESPONSE_S = 0.68
"""Length of a linear-phase response: enough to hold a high-pass at 20 Hz."""
LARGE_DB, MANY_BOOSTS = 3.0, 4


class Band(Params):
    """One move of the equalizer."""

    id: Annotated[str, Field(min_length=1, max_length=64, pattern=r"^[A-Za-z0-9_\-]+$")]
    on: bool = switch(True, label="On", says="Whether this band does anything.")
    shape: Shape = choice("bell", label="Shape", says="What the band does around its frequency.")
    hz: float = number(
        1000,
        10,
        24000,
        label="At",
        unit="Hz",
        scale="log",
        ticks=(10, 30, 100, 300, 1000, 3000, 10000),
        says="Where it works: the centre of a bell, half the height of a shelf, the corner of a pass.",
    )
    gain_db: float = number(
        0,
        -24,
        24,
        label="Gain",
        unit="dB",
        ticks=(-24, -12, -6, 0, 6, 12, 24),
        says="How much louder or quieter; one or two dB are a lot on a whole mix.",
    )
    q: float = number(
        0.707,
        0.1,
        40,
        label="Q",
        scale="log",
        ticks=(0.1, 0.3, 0.7, 2, 6, 15, 40),
        says="How narrow it is: low is broad and gentle, high picks out a single note.",
    )
    slope: Slope = choice(12, label="Slope", unit="dB/oct", says="How steeply a pass falls.")
    channels: Channels = choice(
        "stereo", label="On", says="What it treats: everything, the middle, what differs, or one side."
    )

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
            return getattr(shapes, self.shape)(self.hz, self.q, rate_hz)  # type: ignore[no-any-return]
        return getattr(shapes, self.shape)(self.hz, self.q, self.gain_db, rate_hz)  # type: ignore[no-any-return]


class EqualizerParams(Params):
    phase: Literal["minimum", "linear"] = choice(
        "minimum",
        label="Phase",
        says="Minimum acts at once; linear keeps every frequency in time and delays the song, "
        "with a faint echo before hits.",
    )
    bands: tuple[Band, ...] = Field(
        default=(),
        max_length=16,
        strict=False,
        json_schema_extra={"label": "Bands", "says": "The moves, each with a place and a height."},
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


def _turn(block: Block) -> Block:
    """Left and right into mid and side."""
    return np.stack([0.5 * (block[0] + block[1]), 0.5 * (block[0] - block[1])])


def _turn_back(block: Block) -> Block:
    return np.stack([block[0] + block[1], block[0] - block[1]])


class Equalizer(Processor):
    """Minimum phase. A band keeps its state when others come, go or move."""

    def __init__(self, params: EqualizerParams, rate_hz: float) -> None:
        super().__init__()
        self._domains = [(turned, *_rows(bands, rate_hz)) for turned, bands in _domains(params)]
        self.state = {f"rows {int(turned)}": np.zeros((len(rows), 2, 2)) for turned, rows, _ in self._domains}

    def process(self, block: Block) -> Block:
        for turned, rows, _ in self._domains:
            if turned:
                block = _turn(block)
            svf_rows(block, rows, self.f64(f"rows {int(turned)}"))
            if turned:
                block = _turn_back(block)
        return block

    def adopt(self, other: Processor) -> None:
        if not isinstance(other, Equalizer):
            return
        theirs = {turned: places for turned, _, places in other._domains}
        for turned, _, places in self._domains:
            name = f"rows {int(turned)}"
            for band, place in places.items():
                known = theirs.get(turned, {}).get(band)
                if known and known.stop - known.start == place.stop - place.start:
                    self.state[name][place] = other.state[name][known]


class LinearEqualizer(Processor):
    """Linear phase: the same magnitudes by symmetric responses, all frequencies equally late."""

    def __init__(self, params: EqualizerParams, rate_hz: float) -> None:
        super().__init__()
        taps = 1 << round(math.log2(RESPONSE_S * rate_hz))
        at_hz = np.asarray(np.arange(taps // 2 + 1) * (rate_hz / taps), dtype=np.float64)
        at_hz[-1] *= 1.0 - 1e-9  # the tangent has no value at half the rate
        self._domains = []
        for turned, bands in _domains(params):
            rows = _rows(bands, rate_hz)[0]
            magnitude = np.stack([np.abs(svf_response(rows[:, row], at_hz, rate_hz)) for row in range(2)])
            self._domains.append((turned, partitioned(symmetric_taps(magnitude))))
            for name, array in convolver_state(taps // PARTS).items():
                self.state[f"{name} {int(turned)}"] = array
        # without a band there is nothing to convolve, but the delay stays: moving a band must not move the song
        self.delay = (taps // 2 + taps // PARTS) * max(1, len(self._domains))
        if not self._domains:
            self.state["line"] = np.zeros((2, self.delay))

    def process(self, block: Block) -> Block:
        if not self._domains:
            return delayed(block, self.f64("line"))
        for turned, response in self._domains:
            if turned:
                block = _turn(block)
            mine = {n: self.state[f"{n} {int(turned)}"] for n in ("pending", "ready", "spectra", "at")}
            block = convolve(block, response, mine)
            if turned:
                block = _turn_back(block)
        return block


def build(params: EqualizerParams, rate_hz: float) -> Processor:
    """The processor for the chosen phase."""
    return LinearEqualizer(params, rate_hz) if params.phase == "linear" else Equalizer(params, rate_hz)


def response(params: EqualizerParams, at_hz: NDArray[np.float64], rate_hz: float) -> NDArray[np.complex128]:
    """What left and right become of left and right, (2, 2, points), the delay of linear phase left out."""
    total = np.zeros((2, 2, at_hz.size), dtype=np.complex128)
    total[0, 0] = total[1, 1] = 1.0
    turn = np.array([[0.5, 0.5], [0.5, -0.5]])
    for turned, bands in _domains(params):
        rows = _rows(bands, rate_hz)[0]
        one = np.zeros_like(total)
        for row in range(2):
            found = svf_response(rows[:, row], at_hz, rate_hz)
            one[row, row] = np.abs(found) if params.phase == "linear" else found
        if turned:
            one = np.einsum("ij,jkp,kl->ilp", np.linalg.inv(turn), one, turn)
        total = np.einsum("ijp,jkp->ikp", one, total)
    return total


@lru_cache(maxsize=512)
def _band_db(band: Band, rate_hz: float) -> NDArray[np.float64]:
    """Of one band, at the picture's frequencies; while one is dragged, the others stay."""
    magnitude = np.abs(svf_response(band.sections(rate_hz), _picture_hz(rate_hz), rate_hz))
    return np.asarray(20.0 * np.log10(np.maximum(magnitude, 1e-6)))


def _curve_db(bands: list[Band], rate_hz: float) -> list[float]:
    total = sum((_band_db(band, rate_hz) for band in bands), np.zeros(_picture_hz(rate_hz).size))
    return np.maximum(total, -120.0).round(3).tolist()  # type: ignore[no-any-return]


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
    active = [band for band in params.bands if band.on]
    return {
        "hz": at_hz.round(3).tolist(),
        "plots": {plot: _curve_db([b for b in active if b.channels in ("stereo", plot)], rate_hz) for plot in plots},
        "bands": {band.id: _curve_db([band], rate_hz) for band in params.bands},
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
    says="Small, broad moves of tone, on the whole, the middle or the sides.",
    params=EqualizerParams,
    build=build,
    picture=_picture,
    summary=_summary,
    response=response,
    hz_params=lambda p: [
        (f"bands[{i}].hz", band.hz) for i, band in enumerate(p.bands) if band.on and band.shape != "low_pass"
    ],
    channels=("stereo",),
)
