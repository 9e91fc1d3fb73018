"""Bus compressor: the detector's level through a static curve, smoothed by one pole in dB.

The gain is softened over half a millisecond and the sound delayed by half of that, so that a fast attack adds no tones
that fold back; attacks below 0.3 ms are as quick as that allows.
"""

from __future__ import annotations

import math
from typing import Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from tin_kettle.core.dsp import equalizer_filters
from tin_kettle.core.dsp.block import Block
from tin_kettle.core.dsp.decibels import apply_db
from tin_kettle.core.dsp.delay import DelayLine
from tin_kettle.core.dsp.dynamics import (
    attack_optical,
    attack_programme,
    attack_release,
    compression_db,
    compressor_settings,
    link_levels,
    mean_square_levels,
    peak_levels,
    soft_edge,
    soften,
)
from tin_kettle.core.dsp.pass_filters import Sections, high_pass, low_pass
from tin_kettle.core.dsp.svf import FORGOTTEN, IDENTITY, svf_response, svf_rows
from tin_kettle.core.stages import dynamics
from tin_kettle.core.stages.declarations import Ease, Items, Kind, Params, Picture, choice, number
from tin_kettle.core.stages.filter import HIGHEST_SHARE
from tin_kettle.core.stages.number_text import bare, hz, ms
from tin_kettle.core.stages.processor import Processor

CURVE_IN_DB = np.linspace(-60.0, 0.0, 121)
PICTURE_HZ = np.geomspace(20.0, 20000.0, 120)
MOST_FILTER_SECTIONS = 12
RISE_TIMES, FALL_TIMES = 5.0, 12.0
"""Auto release: how much longer than the release time the lasting work takes to rise and to fall."""
SLOW_TIMES, MEMORY_MS = 20.0, 4000.0
"""Optical release: the slowest recovery in release times, and how long the work so far is remembered."""
RELEASES: dict[str, tuple[float, ...]] = {
    "manual": (1.0,),
    "auto": (1.0, RISE_TIMES, FALL_TIMES),
    "optical": (1.0, SLOW_TIMES),
}
"""Of each release mode the times that hang on its release, in shares of it, the slowest last."""


class DetectorFilter(Params):
    """One filter that the detector hears through; the sound itself does not pass it."""

    kind: Literal["high_pass", "low_pass", "bell", "high_shelf", "low_shelf"] = choice(
        "high_pass", label="Shape", says="Sets the type of the detector's filter."
    )
    hz: float = number(
        100,
        20,
        20000,
        label="Frequency",
        unit="Hz",
        scale="log",
        ticks=(20, 50, 100, 200, 500, 1000, 2000, 5000, 20000),
        says="Sets the corner or centre frequency of the detector's filter.",
    )
    q: float = number(
        0.707,
        0.1,
        40,
        label="Q",
        scale="log",
        ticks=(0.1, 0.7, 2, 10, 40),
        says="Sets the bandwidth: higher is narrower.",
    )
    gain_db: float = number(
        0,
        -24,
        24,
        label="Gain",
        unit="dB",
        ticks=(-24, -12, 0, 12, 24),
        says="Makes the detector more or less sensitive there.",
    )
    slope: Literal[6, 12, 24] = choice(
        12, label="Slope", unit="dB/oct", says="Sets the slope of a high-pass or low-pass."
    )

    def sections(self, rate_hz: float) -> Sections:
        """(sections, 5) for :func:`svf_cascade`; one that does nothing for a low-pass above what the rate carries."""
        if self.kind == "low_pass" and self.hz > HIGHEST_SHARE * rate_hz:
            return np.array([IDENTITY])
        if self.kind in ("high_pass", "low_pass"):
            make = high_pass if self.kind == "high_pass" else low_pass
            return make(self.hz, self.slope, 20.0 * math.log10(self.q / 0.7071), rate_hz)
        shape = {
            "bell": equalizer_filters.bell,
            "high_shelf": equalizer_filters.high_shelf,
            "low_shelf": equalizer_filters.low_shelf,
        }[self.kind]
        return shape(self.hz, self.q, self.gain_db, rate_hz)


class CompressorParams(Params):
    threshold_db: float = dynamics.threshold("Turns down everything above this detector level.", follows=True)
    ratio: float = dynamics.ratio("Sets how many dB above the threshold become one dB.", 2, follows=True)
    knee_db: float = dynamics.knee("Sets how gradually compression begins around the threshold.", follows=True)
    attack_ms: float = dynamics.attack(
        "Sets how fast compression begins: slow lets hits through, fast flattens them. Below 0.3 ms a window "
        "of 0.5 ms keeps the gain change free of distortion.",
        follows=True,
    )
    release_ms: float = dynamics.release(
        "Sets how fast compression ends: fast raises what follows a hit, slow keeps it steady.", follows=True
    )
    release_mode: Literal["manual", "auto", "optical"] = choice(
        "manual",
        label="Release mode",
        says="Manual uses the release time. Auto releases quickly after a hit and slowly after a loud passage. "
        "Optical releases in two stages, more slowly the longer it has compressed.",
    )
    detector: Literal["peak", "rms"] = choice(
        "peak", label="Detector", says="Reacts to peaks or to the average (RMS) level."
    )
    rms_ms: float = number(
        10,
        1,
        300,
        label="RMS window",
        unit="ms",
        scale="log",
        ticks=(1, 3, 10, 30, 100, 300),
        says="Sets the averaging time of the RMS detector.",
        follows=True,
    )
    link: float = dynamics.link("At 1 both channels get the same gain reduction and the image is stable.", follows=True)
    makeup_db: float = number(
        0,
        -24,
        24,
        label="Makeup",
        unit="dB",
        ticks=(-24, -12, -6, 0, 6, 12, 24),
        says="Raises the level after compression. It is not part of the difference signal.",
        follows=True,
    )
    range_db: float = dynamics.at_most("Limits gain reduction.", follows=True)
    lookahead_ms: float = number(
        0,
        0,
        20,
        label="Lookahead",
        unit="ms",
        ticks=(0, 5, 10, 15, 20),
        says="Lets the compressor react before a hit. The delay is compensated.",
        delays=True,
    )
    key: tuple[str, ...] | None = Field(
        default=None,
        min_length=1,
        max_length=16,
        strict=False,
        json_schema_extra={
            "label": "Key",
            "says": "Drives the detector from other buses, for example to duck the bass under the kick.",
        },
    )
    detector_filters: tuple[DetectorFilter, ...] = Field(
        default=(),
        max_length=3,
        strict=False,
        json_schema_extra={
            "label": "Detector filters",
            "says": "Filters the detector signal only. The compressor still turns down all frequencies together.",
        },
    )


STEERED = ("rms_ms", "attack_ms", "release_ms", "threshold_db", "ratio", "knee_db", "range_db")
"""What its kernels go by, in their order."""


class Compressor(Processor):
    def __init__(self, params: CompressorParams, rate_hz: float) -> None:
        super().__init__()
        p = self._params = params
        self._rate_hz = float(rate_hz)
        self._still = {name: float(getattr(params, name)) for name in STEERED}
        self._releases = np.array(RELEASES[params.release_mode])
        _, *self._rest = self._settings(1)
        self._edge = soft_edge(rate_hz)
        ahead = round(params.lookahead_ms * rate_hz / 1000.0)
        self.delay = self.warm_frames = ahead + len(self._edge) // 2
        slowest = RELEASES[p.release_mode][-1] * p.release_ms
        remembered = MEMORY_MS if p.release_mode == "optical" else 0.0
        self.memory_s = FORGOTTEN * max(p.attack_ms, slowest, remembered) / 1000.0
        self.static_db = params.makeup_db
        self._filters = np.repeat(_detector_sections(params, rate_hz)[:, np.newaxis], 2, axis=1)
        self.state = {
            "filter": np.zeros((MOST_FILTER_SECTIONS, 2, 2)),
            "mean_square": np.zeros(2),
            "gain_db": np.zeros(2),
            "work": np.zeros((3, 2)),
            "edge": np.zeros((2, len(self._edge) - 1)),
        }
        self.lines = {"line": DelayLine(self.delay), "heard": DelayLine(self.delay)}

    def process(self, block: Block) -> Block:
        p = self._params
        heard = block if self.key is None else self.key
        if len(self._filters):
            heard = heard.copy()
            svf_rows(heard, self._filters, self.f64("filter"))
        frames = block.shape[1]
        steps, mean, shares, curves = (
            self._settings(frames) if self.input_values else (np.array([0, frames]), *self._rest)
        )
        # fully linked sides have one gain: half the work
        linked = p.link == 1 and "link" not in self.input_values
        gain_db = np.empty((1 if linked else 2, block.shape[1]))
        if p.detector == "peak":
            peak_levels(heard, gain_db)
        else:
            mean_square_levels(heard, gain_db, steps, mean, self.f64("mean_square"))
        if not linked:
            link_levels(gain_db, steps, self.input_values.held("link", p.link, len(steps) - 1))
        compression_db(gain_db, steps, curves)
        self._smooth(gain_db, steps, shares)
        soften(gain_db, self._edge, self.f64("edge"))
        # applied in place: the line gives a copy, as it is never without delay
        out = self.lines["line"].push(block)
        if "makeup_db" in self.output_values:
            makeup_db = self.output_values.every("makeup_db", p.makeup_db, block.shape[1])
            apply_db(out, gain_db + makeup_db, 0.0)
            self.static_db = makeup_db
        else:
            apply_db(out, gain_db, p.makeup_db)
        self.detector = self.lines["heard"].push(heard)
        self.efforts_db = {"effort_db": gain_db}
        return out

    def adopt(self, other: Processor) -> bool:
        whole = super().adopt(other)
        if isinstance(other, Compressor) and other._params.link == 1:
            self.f64("gain_db")[1] = self.f64("gain_db")[0]
            self.f64("work")[:, 1] = self.f64("work")[:, 0]
            self.f64("edge")[1] = self.f64("edge")[0]
        return whole

    def _settings(
        self, frames: int
    ) -> tuple[NDArray[np.int64], NDArray[np.float64], NDArray[np.float64], NDArray[np.float64]]:
        """Borders of the stretches over which values hold; of each the mean's share, the other shares, the curve."""
        steps, values = self.input_values.table(self._still, frames)
        count = len(values)
        mean, shares, curves = np.empty(count), np.empty((count, len(self._releases) + 2)), np.empty((count, 4))
        compressor_settings(values, self._releases, MEMORY_MS, self._rate_hz, mean, shares, curves)
        return steps, mean, shares, curves

    def _smooth(self, gain_db: Block, steps: NDArray[np.int64], shares: NDArray[np.float64]) -> None:
        mode, state = self._params.release_mode, self.f64("work")
        if mode == "manual":
            attack_release(gain_db, steps, shares, self.f64("gain_db"))
        elif mode == "auto":
            attack_programme(gain_db, steps, shares, state)
        else:
            attack_optical(gain_db, steps, shares, state)


def _detector_sections(params: CompressorParams, rate_hz: float) -> Sections:
    return np.concatenate([np.zeros((0, 5)), *(f.sections(rate_hz) for f in params.detector_filters)])


def static_curve_db(params: CompressorParams, level_db: NDArray[np.float64]) -> NDArray[np.float64]:
    """Level out, with makeup, for each level in of a steady tone; (points,) dB."""
    gain_db = np.array([level_db])
    slope = 1.0 / params.ratio - 1.0
    curve = np.array([[params.threshold_db, slope, params.knee_db, params.range_db]], dtype=np.float64)
    compression_db(gain_db, np.array([0, level_db.size]), curve)
    return np.asarray(level_db + gain_db[0] + params.makeup_db)


def _picture(params: CompressorParams, rate_hz: float) -> Picture:
    at_hz = PICTURE_HZ[rate_hz * 0.49 > PICTURE_HZ]
    heard = np.abs(svf_response(_detector_sections(params, rate_hz), at_hz, rate_hz))
    return {
        "in_db": CURVE_IN_DB.tolist(),
        "out_db": static_curve_db(params, CURVE_IN_DB).round(4).tolist(),
        "hz": at_hz.round(2).tolist(),
        "heard_db": (20.0 * np.log10(np.maximum(heard, 1e-10))).round(3).tolist(),
    }


def _filter_words(heard: DetectorFilter) -> str:
    if heard.kind in ("high_pass", "low_pass"):
        return f"{'above' if heard.kind == 'high_pass' else 'below'} {hz(heard.hz)}"
    return f"{'harder' if heard.gain_db > 0 else 'less'} at {hz(heard.hz)}" if heard.gain_db else ""


def hears(params: CompressorParams) -> str:
    """What the detector listens to, in words; empty where it hears everything."""
    passes = [f for f in params.detector_filters if f.kind in ("high_pass", "low_pass")]
    leans = [f for f in params.detector_filters if f not in passes]
    return ", ".join(words for f in (*passes, *leans) if (words := _filter_words(f)))


def _summary(params: CompressorParams) -> str:
    if params.ratio == 1 or params.range_db == 0:
        return "no effect yet"
    parts = [f"{bare(params.ratio)}:1", ms(params.attack_ms), ms(params.release_ms)]
    if params.release_mode != "manual":
        parts[2] += f" {params.release_mode}"
    if params.key:
        parts.append(f"keyed by {', '.join(params.key)}")
    if heard := hears(params):
        parts.append(f"detector {heard}")
    return " · ".join(parts)


KIND = Kind(
    name="compressor",
    title="Bus compressor",
    says="Turns down loud passages to hold the mix together, usually by 1 to 2 dB.",
    sought=(
        "glue",
        "side-chain",
        "sidechain",
        "compression",
        "duck",
        "pump",
        "key",
        "bus compression",
        "tighten",
        "punch",
        "level",
    ),
    params=CompressorParams,
    build=Compressor,
    picture=_picture,
    summary=_summary,
    hz_params=lambda p: [
        (f"detector_filters[{i}].hz", f.hz) for i, f in enumerate(p.detector_filters) if f.kind != "low_pass"
    ],
    keys=lambda p: p.key or (),
    dynamic=True,
    items={"detector_filters": Items("Detector filter", DetectorFilter, _filter_words, none="everything")},
    # engineers rarely take off more with a bus compressor than 1 to 3 dB
    ease=Ease(4.0, "threshold +3 dB", lambda p: {"threshold_db": min(0.0, p.threshold_db + 3.0)}),
    columns=(
        ("Curve", ("threshold_db", "ratio", "knee_db", "range_db")),
        ("Time", ("attack_ms", "release_ms", "release_mode", "lookahead_ms")),
        ("Detector", ("detector", "rms_ms", "link")),
        ("Output", ("makeup_db", "mix")),
    ),
    active_when={"rms_ms": ("detector", "rms")},
)
