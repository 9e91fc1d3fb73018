"""Saturator: a curve that rounds peaks and adds harmonics, wholly or above a corner."""

from __future__ import annotations

from typing import Literal

import numpy as np
from numpy.typing import NDArray

from tin_kettle.core.dsp.block import Block
from tin_kettle.core.dsp.decibels import gains_of
from tin_kettle.core.dsp.delay import DelayLine
from tin_kettle.core.dsp.equalizer_filters import high_shelf
from tin_kettle.core.dsp.pass_filters import high_pass
from tin_kettle.core.dsp.svf import squared_tangent, svf_cascade, svf_magnitude
from tin_kettle.core.dsp.waveshaping import ASYMMETRIC, FIRM, HARD, SOFT, Curve
from tin_kettle.core.stages.declarations import Kind, Params, Picture, choice, number, switch
from tin_kettle.core.stages.filter import PICTURE_HZ
from tin_kettle.core.stages.hit_scope import scope_curves, scope_push, scope_silence
from tin_kettle.core.stages.number_text import bare, db, hz
from tin_kettle.core.stages.oversampled_shaper import HISTOGRAM_DB, Shaper
from tin_kettle.core.stages.processor import Processor

CurveName = Literal["soft", "firm", "hard", "asymmetric"]
CURVES: dict[CurveName, Curve] = {"soft": SOFT, "firm": FIRM, "hard": HARD, "asymmetric": ASYMMETRIC}
CURVE_IN_DB = np.linspace(-36.0, 18.0, 109)
TEST_TONE_DB, HARMONICS = -6.0, 9
"""Peak of the tone whose harmonics are shown, and how many of them."""
OFFSET_HZ = 5.0
"""A curve that is not the same both ways makes an offset; what lies below this of what it adds is taken out."""


class SaturatorParams(Params):
    curve: CurveName = choice(
        "soft",
        label="Curve",
        says="Soft saturates early and gently, firm later, hard only near the peak. Asymmetric adds even harmonics as "
        "well.",
    )
    drive_db: float = number(
        0,
        0,
        30,
        label="Drive",
        unit="dB",
        ticks=(0, 6, 12, 18, 24, 30),
        says="Raises the level into the curve.",
        follows=True,
    )
    trim_db: float = number(
        0,
        -24,
        24,
        label="Trim",
        unit="dB",
        ticks=(-24, -12, 0, 12, 24),
        says="Sets the output level after the curve.",
        follows=True,
    )
    link_trim: bool = switch(
        True,
        label="Auto trim",
        says="Turns the output down by the drive, so that quiet passages keep their level.",
    )
    emphasis_on: bool = switch(
        False,
        label="Emphasis",
        says="Boosts the highs before the curve and cuts them by the same amount after it.",
    )
    emphasis_hz: float = number(
        3000,
        200,
        12000,
        label="Emphasis frequency",
        unit="Hz",
        scale="log",
        ticks=(200, 1000, 3000, 12000),
        says="Sets the corner frequency of the emphasis.",
    )
    emphasis_db: float = number(
        12,
        0,
        24,
        label="Emphasis gain",
        unit="dB",
        ticks=(0, 6, 12, 18, 24),
        says="Sets the boost of the highs before the curve.",
    )
    emphasis_q: float = number(
        0.707,
        0.3,
        2,
        label="Emphasis Q",
        scale="log",
        ticks=(0.3, 0.7, 1, 2),
        says="Sets the steepness of the emphasis.",
    )
    oversampling: Literal[1, 2, 4, 8] = choice(
        4,
        label="Oversampling",
        unit="×",
        says="Higher factors reduce aliasing and cost more CPU.",
        delays=True,
    )
    amount: float = number(
        1,
        0,
        2,
        label="Amount",
        ticks=(0, 0.5, 1, 1.5, 2),
        says="Scales drive and emphasis together. At 0 the stage changes nothing.",
    )


class Saturator(Processor):
    """Order: drive, emphasis, curve, emphasis undone, trim; the sound itself goes beside the curve, only delayed."""

    def __init__(self, params: SaturatorParams, rate_hz: float) -> None:
        super().__init__()
        p = self._params = params
        self._rate_hz = rate_hz
        self._shaper = Shaper(CURVES[p.curve], p.oversampling, rate_hz)
        self.delay = self._shaper.delay
        self.warm_frames = 2 * self.delay
        self.memory_s = 0.1 if p.curve == "asymmetric" or p.emphasis_on else 0.0
        self.tail_s = (self.delay + 1) / rate_hz
        emphasis_db = p.emphasis_db * p.amount
        self._boost = high_shelf(p.emphasis_hz, p.emphasis_q, emphasis_db, rate_hz)
        self._cut = high_shelf(p.emphasis_hz, p.emphasis_q, -emphasis_db, rate_hz)
        self._emphasised = p.emphasis_on and emphasis_db > 0.0
        self._offset = high_pass(OFFSET_HZ, 6, 0.0, rate_hz) if p.curve == "asymmetric" else None
        self.lines = {"line": DelayLine(self.delay)}
        self.state = {
            "boost": np.zeros((len(self._boost), 2, 2)),
            "cut": np.zeros((len(self._cut), 2, 2)),
            "offset": np.zeros((1, 2, 2)),
            **self._shaper.silence,
            **scope_silence(rate_hz),
        }

    def process(self, block: Block) -> Block:
        p, frames = self._params, block.shape[1]
        drive_db, late_drive_db = (
            input_values.value("drive_db", p.drive_db, frames) * p.amount
            for input_values in (self.input_values, self.output_values)
        )
        trim_db = self.output_values.value("trim_db", p.trim_db, frames)
        if p.link_trim:
            trim_db = trim_db - late_drive_db
        self.static_db = late_drive_db + trim_db
        pushed = block * gains_of(drive_db)
        dry: Block = self.lines["line"].push(block) * gains_of(self.static_db)
        if self._emphasised:
            svf_cascade(pushed, self._boost, self.f64("boost"))
        added, met_db = self._shaper.added(pushed, self.state)
        if not p.amount:
            self.efforts_db = {"effort_db": np.zeros((1, frames))}
            self.levels_db = {"level_met": met_db}
            scope_push(self.state, dry, dry)
            return dry
        if self._emphasised:
            svf_cascade(added, self._cut, self.f64("cut"))
        if self._offset is not None:
            svf_cascade(added, self._offset, self.f64("offset"))
        added *= gains_of(trim_db)
        out: Block = dry + added
        self.efforts_db = {"effort_db": self._shaper.taken_db(dry, out, self.state)}
        self.levels_db = {"level_met": met_db}
        scope_push(self.state, dry, out)
        return out

    def curves(self) -> dict[str, NDArray[np.float64]]:
        """How often which level is met (``HISTOGRAM_DB``), and the last hit before and after."""
        return {**self._shaper.curves(self.state), **scope_curves(self.state, self._rate_hz)}


def harmonics_db(curve: Curve, peak: float) -> NDArray[np.float64]:
    """Levels of the second and further harmonics of a tone of that peak, dB below its first."""
    points = 4096
    wave = curve(peak * np.sin(2.0 * np.pi * np.arange(points) / points))
    lines = np.abs(np.fft.rfft(wave))[1 : HARMONICS + 1]
    return np.asarray(20.0 * np.log10(np.maximum(lines[1:] / lines[0], 1e-7)))


def _picture(params: SaturatorParams, rate_hz: float) -> Picture:
    curve, drive_db = CURVES[params.curve], params.drive_db * params.amount
    trim_db = params.trim_db - (drive_db if params.link_trim else 0.0)
    into = 10.0 ** ((CURVE_IN_DB + drive_db) / 20.0)
    # the louder way of a curve that is not the same both ways
    out = np.maximum(np.abs(curve(into)), np.abs(curve(-into))) if params.amount else into
    at_hz = PICTURE_HZ[rate_hz * 0.49 > PICTURE_HZ]
    shelf = high_shelf(params.emphasis_hz, params.emphasis_q, params.emphasis_db * params.amount, rate_hz)
    emphasis = svf_magnitude(shelf, squared_tangent(at_hz, rate_hz)) if params.emphasis_on else np.ones(at_hz.size)
    return {
        "in_db": CURVE_IN_DB.tolist(),
        "out_db": (20.0 * np.log10(out) + trim_db).round(3).tolist(),
        "drive_db": drive_db,
        "trim_db": trim_db,
        "classes_db": HISTOGRAM_DB.tolist(),
        "hz": at_hz.round(3).tolist(),
        "emphasis_db": (20.0 * np.log10(emphasis)).round(3).tolist(),
        "tone_db": TEST_TONE_DB,
        "harmonics_db": harmonics_db(curve, 10.0 ** ((TEST_TONE_DB + drive_db) / 20.0)).round(1).tolist()
        if params.amount
        else [],
    }


def _summary(params: SaturatorParams) -> str:
    if not params.amount:
        return "passes untouched"
    parts = [f"{params.curve}, {db(params.drive_db * params.amount)} drive"]
    if params.emphasis_on:
        parts.append(f"highs from {hz(params.emphasis_hz)} {db(params.emphasis_db * params.amount)} earlier")
    if params.trim_db:
        parts.append(f"trim {db(params.trim_db)}")
    if params.oversampling != 4:
        parts.append(f"{bare(params.oversampling)}×")
    return " · ".join(parts)


KIND = Kind(
    name="saturator",
    title="Saturator",
    says="Rounds peaks and adds harmonics, over the full range or in the highs only.",
    sought=("saturation", "tape", "warm", "drive", "distortion", "harmonics", "exciter", "valve", "density", "colour"),
    params=SaturatorParams,
    build=Saturator,
    picture=_picture,
    summary=_summary,
    hz_params=lambda p: [("emphasis_hz", p.emphasis_hz)] if p.emphasis_on else [],
    dynamic=True,
    louder=True,
    columns=(
        ("Curve", ("curve", "drive_db", "amount")),
        ("Emphasis", ("emphasis_on", "emphasis_hz", "emphasis_db", "emphasis_q")),
        ("Output", ("link_trim", "trim_db", "mix")),
        ("Quality", ("oversampling",)),
    ),
    active_when={
        "emphasis_hz": ("emphasis_on", True),
        "emphasis_db": ("emphasis_on", True),
        "emphasis_q": ("emphasis_on", True),
    },
)
