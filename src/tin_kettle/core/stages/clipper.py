"""Clipper: cuts the needle peaks off, so that the rest can be louder."""

from __future__ import annotations

from typing import Literal

import numpy as np
from numpy.typing import NDArray

from tin_kettle.core.dsp.crossover import Bands
from tin_kettle.core.dsp.decibels import gains_of
from tin_kettle.core.dsp.delay import Line
from tin_kettle.core.dsp.passes import low_pass
from tin_kettle.core.dsp.shaping import cornered
from tin_kettle.core.dsp.svf import svf_cascade
from tin_kettle.core.stages.declare import Kind, Params, Picture, choice, number
from tin_kettle.core.stages.hit_scope import scope_curves, scope_push, scope_silence
from tin_kettle.core.stages.oversampled import HISTOGRAM_DB, Shaper
from tin_kettle.core.stages.processor import Block, Processor
from tin_kettle.core.stages.words import db, hz

SOFTEN_OFF_HZ = 22000.0
CURVE_IN_DB = np.linspace(-24.0, 12.0, 109)


class ClipperParams(Params):
    ceiling_db: float = number(
        -1,
        -24,
        0,
        label="Ceiling",
        unit="dB",
        ticks=(-24, -18, -12, -6, 0),
        says="Where peaks are cut off.",
        follows=True,
    )
    drive_db: float = number(
        0,
        0,
        24,
        label="Drive",
        unit="dB",
        ticks=(0, 6, 12, 18, 24),
        says="How far the sound is pushed up against the ceiling.",
        follows=True,
    )
    knee: float = number(
        0,
        0,
        1,
        label="Knee",
        ticks=(0, 0.25, 0.5, 0.75, 1),
        says="At nought the cut is flat; towards 1 peaks are rounded from farther below.",
    )
    spare_below_hz: float = number(
        0,
        0,
        500,
        label="Spare below",
        unit="Hz",
        ticks=(0, 100, 200, 300, 400, 500),
        says="What lies below passes uncut, in phase, so that the lows keep their weight; at 0 Hz all is cut.",
    )
    soften_above_hz: float = number(
        22000,
        2000,
        22000,
        label="Soften above",
        unit="Hz",
        scale="log",
        ticks=(2000, 5000, 10000, 22000),
        says="What cutting adds above this falls by 6 dB/oct: less edge; at 22 kHz nothing is softened.",
    )
    oversampling: Literal[1, 2, 4, 8] = choice(
        4,
        label="Oversampling",
        unit="×",
        says="How finely peaks are cut: more keeps what that adds from folding back as false tones.",
        delays=True,
    )


def _crossovers_hz(params: ClipperParams) -> tuple[float, ...]:
    return (params.spare_below_hz,) if params.spare_below_hz else ()


class Clipper(Processor):
    """What cutting adds is worked out beside the sound, which itself is only delayed: in phase at any mix."""

    def __init__(self, params: ClipperParams, rate_hz: float) -> None:
        super().__init__()
        p = self._params = params
        self._rate_hz = rate_hz
        self._shaper = Shaper(cornered(p.knee), p.oversampling, rate_hz)
        self.delay = self._shaper.delay
        self.warm_frames = 2 * self.delay
        self.tail_s = (self.delay + 1) / rate_hz
        corners = _crossovers_hz(p)
        self._bands = Bands(corners, rate_hz) if corners else None
        self._softened = p.soften_above_hz < min(SOFTEN_OFF_HZ, 0.49 * rate_hz)
        self._soft = low_pass(p.soften_above_hz, 6, 0.0, rate_hz) if self._softened else np.empty((0, 5))
        self.memory_s = 0.1 if self._bands else 0.0
        self.lines = {"line": Line(self.delay)}
        self.state = {
            "soft": np.zeros((len(self._soft), 2, 2)),
            **(self._bands.silence if self._bands else {}),
            **self._shaper.silence,
            **scope_silence(rate_hz),
        }

    def process(self, block: Block) -> Block:
        p, frames = self._params, block.shape[1]
        drive_db = self.moving.every("drive_db", p.drive_db, frames)
        ceiling_db = self.moving.every("ceiling_db", p.ceiling_db, frames)
        late_ceiling_db = self.moving_late.every("ceiling_db", p.ceiling_db, frames)
        self.static_db = self.moving_late.every("drive_db", p.drive_db, frames)
        met = block
        if self._bands:
            low, met = self._bands.process(block, self.state)  # type: ignore[arg-type]
            block = low + met
        added, met_db = self._shaper.added(met * gains_of(drive_db - ceiling_db), self.state)
        if self._softened:
            svf_cascade(added, self._soft, self.f64("soft"))
        dry: Block = self.lines["line"].push(block) * gains_of(self.static_db)
        added *= gains_of(late_ceiling_db)
        out: Block = dry + added
        self.efforts_db = {"effort_db": self._shaper.taken_db(dry, out, self.state)}
        self.levels_db = {"level_met": met_db + late_ceiling_db}
        scope_push(self.state, dry, out)
        return out

    def curves(self) -> dict[str, NDArray[np.float64]]:
        """How often which level is met (``HISTOGRAM_DB``, above the ceiling), and the last hit before and after."""
        return {**self._shaper.curves(self.state), **scope_curves(self.state, self._rate_hz)}


def _picture(params: ClipperParams, _rate_hz: float) -> Picture:
    into = 10.0 ** ((CURVE_IN_DB + params.drive_db - params.ceiling_db) / 20.0)
    out_db = 20.0 * np.log10(cornered(params.knee)(into)) + params.ceiling_db
    return {
        "in_db": CURVE_IN_DB.tolist(),
        "out_db": out_db.round(3).tolist(),
        "drive_db": params.drive_db - params.ceiling_db,
        "trim_db": params.ceiling_db,
        "classes_db": HISTOGRAM_DB.tolist(),
    }


def _summary(params: ClipperParams) -> str:
    parts = [
        f"{db(params.drive_db)} into {db(params.ceiling_db)}" if params.drive_db else f"at {db(params.ceiling_db)}"
    ]
    if params.knee:
        parts.append(f"knee {100 * params.knee:.0f} %")
    if params.spare_below_hz:
        parts.append(f"spares below {hz(params.spare_below_hz)}")
    if params.soften_above_hz < SOFTEN_OFF_HZ:
        parts.append(f"softened above {hz(params.soften_above_hz)}")
    return " · ".join(parts)


KIND = Kind(
    name="clipper",
    title="Clipper",
    says="Cuts needle peaks off, so that there is room for the rest to be louder.",
    sought=("peaks", "clip", "loud", "ceiling", "headroom", "needle"),
    params=ClipperParams,
    build=Clipper,
    picture=_picture,
    summary=_summary,
    crossovers_hz=_crossovers_hz,
    dynamic=True,
    pushes="drive_db",
    louder=True,
)
