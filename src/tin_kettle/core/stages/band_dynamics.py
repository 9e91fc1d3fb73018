"""Band dynamics: two to five bands, each with dynamics of its own, in phase with each other.

Crossovers are Linkwitz–Riley of 24 dB/oct; what has been split off passes the all-passes of the later corners, so that
the sum of all bands at rest is an all-pass, flat in level. The level of a band is its own, before its gain. In every
mode the attack is the detector rising and the release its falling; gains are softened like the bus compressor's.
"""

from __future__ import annotations

from typing import Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from tin_kettle.core.dsp.block import Block
from tin_kettle.core.dsp.crossover import Bands
from tin_kettle.core.dsp.decibels import apply_db
from tin_kettle.core.dsp.delay import DelayLine
from tin_kettle.core.dsp.dynamics import (
    keep_stronger,
    link_levels,
    one_pole,
    peak_levels,
    soft_edge,
)
from tin_kettle.core.dsp.svf import FORGOTTEN
from tin_kettle.core.stages import dynamics
from tin_kettle.core.stages.crossover_params import Corner, corners_problem, crossovers
from tin_kettle.core.stages.declarations import Id, Items, Kind, Params, Picture, choice, number, switch
from tin_kettle.core.stages.filter import HIGHEST_SHARE, PICTURE_HZ
from tin_kettle.core.stages.gain_followers import Follower, GainFollowers, StaticCurve
from tin_kettle.core.stages.number_text import bare, db, hz
from tin_kettle.core.stages.processor import Processor
from tin_kettle.core.stages.split import band_curves_db

Mode = Literal["compress", "expand", "lift"]
CURVE_IN_DB = np.linspace(-80.0, 0.0, 81)


class DynamicBand(Params):
    """One band and its dynamics."""

    id: Id
    on: bool = switch(True, label="On", says="Turns the band's dynamics and gain on or off.")
    gain_db: float = number(
        0,
        -24,
        24,
        label="Gain",
        unit="dB",
        ticks=(-24, -12, 0, 12, 24),
        says="Sets the band's level after its dynamics.",
    )
    mode: Mode = choice(
        "compress",
        label="Mode",
        says="Compress turns down levels above the threshold. Expand turns down levels below it. Lift turns up levels "
        "below it.",
    )
    threshold_db: float = dynamics.threshold("Sets the level in the band from which it works.")
    ratio: float = dynamics.ratio("Sets the ratio: at 1 the band stays as it is.", 1)
    knee_db: float = dynamics.knee("Sets how gradually it begins around the threshold.")
    attack_ms: float = dynamics.attack("Sets how fast it follows a rising level.")
    release_ms: float = dynamics.release("Sets how fast it follows a falling level.")
    range_db: float = dynamics.at_most("Limits the gain change.")
    link: float = dynamics.link("At 1 both channels get the same gain change.")
    channels: Literal["stereo", "mid", "side"] = choice(
        "stereo", label="Channels", says="Works on the whole band, its mid, or its side."
    )

    @property
    def works(self) -> bool:
        """Whether its gain can move."""
        return self.on and self.ratio > 1 and self.range_db > 0


def _neutral(band_id: str) -> DynamicBand:
    return DynamicBand(id=band_id)


class BandDynamicsParams(Params):
    crossovers_hz: tuple[Corner, ...] = crossovers(
        "Where one band ends and the next begins, rising.", (120.0, 800.0, 5000.0), least=1
    )
    bands: tuple[DynamicBand, ...] = Field(
        default=tuple(_neutral(name) for name in ("low", "low-mid", "high-mid", "high")),
        min_length=2,
        max_length=5,
        strict=False,
        json_schema_extra={"label": "Bands", "says": "The bands from low to high, one more than crossovers."},
    )


class BandDynamics(Processor):
    def __init__(self, params: BandDynamicsParams, rate_hz: float) -> None:
        super().__init__()
        self._params = params
        self._divider = Bands(params.crossovers_hz, rate_hz)
        edge = soft_edge(rate_hz)
        self.delay = self.warm_frames = len(edge) // 2
        slowest_ms = max(max(band.attack_ms, band.release_ms) if band.works else 0.0 for band in params.bands)
        self.memory_s = FORGOTTEN * max(slowest_ms / 1000.0, 1.0 / params.crossovers_hz[0])
        # what moves comes first among the rows: one of each band, or one of each of its sides
        bands = sorted(params.bands, key=lambda band: not band.works)
        rows = [(band, side) for band in bands for side in range(1 if _linked(band) else 2)]
        self._rows = {band.id: [row for row, (found, _) in enumerate(rows) if found is band] for band in bands}
        # the gain of another mode points another way
        self._followers = GainFollowers(
            {(f"{band.id} {band.mode}", side): _follower(band, rate_hz) for band, side in rows if band.works}, edge
        )
        self.state = {**self._divider.silence, **self._followers.silence}
        for index in range(len(params.bands)):
            self.lines[f"part {index}"] = DelayLine(self.delay)

    def process(self, block: Block) -> Block:
        parts = self._divider.process(block, self.state)  # type: ignore[arg-type]
        out = np.zeros_like(block)
        frames = block.shape[1]
        levels_db = np.empty((sum(map(len, self._rows.values())), frames))
        gains_db = np.empty_like(levels_db)
        levels, efforts = (
            {name: rows[at[0] : at[-1] + 1] for name, at in self._rows.items()} for rows in (levels_db, gains_db)
        )
        for band, part in zip(self._params.bands, parts, strict=True):
            peak_levels(_component(part, band), levels[band.id])
            if len(levels[band.id]) == 2:
                link_levels(levels[band.id], np.array([0, frames]), np.array([band.link]))
        self._followers.move(levels_db, gains_db, self.state)
        strongest = np.zeros((1 if all(_linked(band) for band in self._params.bands) else 2, frames))
        for index, (band, part) in enumerate(zip(self._params.bands, parts, strict=True)):
            gain_db = efforts[band.id]
            if band.mode == "lift" and band.works:
                np.negative(gain_db, out=gain_db)
            late = self.lines[f"part {index}"].push(part)
            keep_stronger(gain_db, strongest)
            out += _turned(late, band, gain_db) if band.on else late
        names = [band.id for band in self._params.bands]
        self.levels_db = {f"level_{name}": levels[name] for name in names}
        self.efforts_db = {"effort_db": strongest, **{f"effort_{name}": efforts[name] for name in names}}
        return out

    def adopt(self, other: Processor) -> bool:
        whole = super().adopt(other)
        if isinstance(other, BandDynamics):
            self._followers.adopt(self.state, other._followers, other.state)
        return whole


def _linked(band: DynamicBand) -> bool:
    return band.link == 1 or band.channels != "stereo"


def _follower(band: DynamicBand, rate_hz: float) -> Follower:
    return Follower(_asking(band), one_pole(band.attack_ms, rate_hz), one_pole(band.release_ms, rate_hz))


def _asking(band: DynamicBand) -> StaticCurve:
    slope = 1.0 - band.ratio if band.mode == "expand" else 1.0 / band.ratio - 1.0
    return StaticCurve(band.mode != "compress", band.threshold_db, slope, band.knee_db, band.range_db)


def _component(part: Block, band: DynamicBand) -> Block:
    if band.channels == "stereo":
        return part
    sign = 1.0 if band.channels == "mid" else -1.0
    one = 0.5 * (part[0] + sign * part[1])
    return np.stack([one, one])


def _turned(part: Block, band: DynamicBand, gain_db: Block) -> Block:
    """The part, or the component of it that is treated, by its gain."""
    if band.channels == "stereo":
        apply_db(part, gain_db, band.gain_db)
        return part
    treated = _component(part, band)
    rest = 0.5 * (part[0] + (-1.0 if band.channels == "mid" else 1.0) * part[1])
    apply_db(treated, gain_db, band.gain_db)
    mid, side = (treated[0], rest) if band.channels == "mid" else (rest, treated[0])
    return np.stack([mid + side, mid - side])


def static_curve_db(band: DynamicBand, level_db: NDArray[np.float64]) -> NDArray[np.float64]:
    """Level of a band after its dynamics and gain for each level before of a steady tone, (points,) dB."""
    move = (-1.0 if band.mode == "lift" else 1.0) * _asking(band).of(level_db) if band.works else 0.0
    return np.asarray(level_db + move + (band.gain_db if band.on else 0.0))


def _picture(params: BandDynamicsParams, rate_hz: float) -> Picture:
    at_hz = PICTURE_HZ[rate_hz * HIGHEST_SHARE > PICTURE_HZ]
    return {
        "hz": at_hz.round(3).tolist(),
        "bands": band_curves_db(params.crossovers_hz, at_hz, rate_hz).round(3).tolist(),
        "in_db": CURVE_IN_DB.tolist(),
        "curves": {band.id: static_curve_db(band, CURVE_IN_DB).round(3).tolist() for band in params.bands},
    }


_DOES = {"compress": "down above", "expand": "down below", "lift": "up below"}


def describe_band(band: DynamicBand) -> str:
    """One band in words; nothing where it is left alone."""
    if not band.on:
        return ""
    gain = db(band.gain_db) if band.gain_db else ""
    work = f"{bare(band.ratio)}:1 {_DOES[band.mode]} {db(band.threshold_db)}" if band.works else ""
    where = f", {band.channels} only" if band.channels != "stereo" and (gain or work) else ""
    return " ".join(part for part in (work, gain) if part) + where


def _place(params: BandDynamicsParams, index: int) -> str:
    corners = params.crossovers_hz
    if index == 0:
        return f"below {hz(corners[0])}"
    if index == len(corners):
        return f"above {hz(corners[-1])}"
    return f"between {hz(corners[index - 1])} and {hz(corners[index])}"


def _summary(params: BandDynamicsParams) -> str:
    working = [band for band in params.bands if band.works or (band.on and band.gain_db)]
    corners = ", ".join(hz(corner) for corner in params.crossovers_hz)
    if not working:
        return f"{len(params.bands)} bands at {corners}, none works"
    return f"{len(working)} of {len(params.bands)} bands work · {corners}"


KIND = Kind(
    name="band_dynamics",
    title="Band dynamics",
    says="Compresses, expands or lifts each frequency band separately. Use it for a tighter low end or calmer highs.",
    sought=("multiband", "expander", "upward", "multiband compressor", "low end", "bands", "tighten", "de-harsh"),
    params=BandDynamicsParams,
    build=BandDynamics,
    picture=_picture,
    summary=_summary,
    hz_params=lambda p: [(f"crossovers_hz[{i}]", corner) for i, corner in enumerate(p.crossovers_hz)],
    dynamic=True,
    louder=True,
    items={"bands": Items("Band", DynamicBand, describe_band, none="left alone", place=_place)},
    crossovers_hz=lambda p: p.crossovers_hz,
    check=lambda p: corners_problem(p.crossovers_hz, len(p.bands) - 1, f"{len(p.bands)} bands"),
)
