"""Clipper: cuts the needle peaks off, so that the rest can be louder."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray

from tin_kettle.core.dsp.block import Block
from tin_kettle.core.dsp.crossover import Bands
from tin_kettle.core.dsp.decibels import gains_of
from tin_kettle.core.dsp.delay import DelayLine
from tin_kettle.core.dsp.dynamics import one_pole
from tin_kettle.core.dsp.pass_filters import high_pass, low_pass
from tin_kettle.core.dsp.svf import both_rows, svf_cascade, svf_rows
from tin_kettle.core.dsp.waveshaping import cornered, share_added
from tin_kettle.core.stages.declarations import Ease, Kind, Params, Picture, choice, number
from tin_kettle.core.stages.hit_scope import scope_curves, scope_push, scope_silence
from tin_kettle.core.stages.number_text import db, hz
from tin_kettle.core.stages.oversampled_shaper import HISTOGRAM_DB, Shaper
from tin_kettle.core.stages.processor import Processor

SOFTEN_OFF_HZ = 22000.0
BRIGHT_HZ, BRIGHT_MS = 2000.0, 400.0
"""Above this what cutting adds is hardly covered by the music; a moment of it as the ear sums it up."""
APART_S = 0.02
"""What follows sooner belongs to the same peak."""
CURVE_IN_DB = np.linspace(-24.0, 12.0, 109)


class ClipperParams(Params):
    ceiling_db: float = number(
        -1,
        -24,
        0,
        label="Ceiling",
        unit="dB",
        ticks=(-24, -18, -12, -6, 0),
        says="Cuts peaks off at this level.",
        follows=True,
    )
    drive_db: float = number(
        0,
        0,
        24,
        label="Drive",
        unit="dB",
        ticks=(0, 6, 12, 18, 24),
        says="Raises the level into the ceiling.",
        follows=True,
    )
    knee: float = number(
        0,
        0,
        1,
        label="Knee",
        ticks=(0, 0.25, 0.5, 0.75, 1),
        says="0 clips hard. Towards 1 peaks are rounded from farther below the ceiling.",
    )
    spare_below_hz: float = number(
        0,
        0,
        500,
        label="Leave lows below",
        unit="Hz",
        ticks=(0, 100, 200, 300, 400, 500),
        says="Passes everything below this frequency unclipped, so that the lows keep their weight. At 0 Hz "
        "everything is clipped.",
    )
    soften_above_hz: float = number(
        22000,
        2000,
        22000,
        label="Soften above",
        unit="Hz",
        scale="log",
        ticks=(2000, 5000, 10000, 22000),
        says="Filters the added harmonics above this frequency by 6 dB/oct for less edge. At 22 kHz nothing is "
        "filtered.",
    )
    oversampling: Literal[1, 2, 4, 8] = choice(
        4,
        label="Oversampling",
        unit="×",
        says="Higher factors reduce aliasing and cost more CPU.",
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
        self._bright = both_rows(high_pass(BRIGHT_HZ, 12, 0.0, rate_hz))
        self._bright_share = one_pole(BRIGHT_MS, rate_hz)
        self._apart = round(APART_S * rate_hz)
        self.memory_s = 0.1 if self._bands else 0.0
        self.lines = {"line": DelayLine(self.delay)}
        self.state = {
            "soft": np.zeros((len(self._soft), 2, 2)),
            "bright": np.zeros((2, 1, 2, 2)),
            "new": np.zeros(2),
            # frames over the ceiling, how often that began, and how long ago it ended
            "over": np.array([0, 0, self._apart], dtype=np.int64),
            **(self._bands.silence if self._bands else {}),
            **self._shaper.silence,
            **scope_silence(rate_hz),
        }

    def process(self, block: Block) -> Block:
        p, frames = self._params, block.shape[1]
        drive_db = self.input_values.value("drive_db", p.drive_db, frames)
        ceiling_db = self.input_values.value("ceiling_db", p.ceiling_db, frames)
        late_ceiling_db = self.output_values.value("ceiling_db", p.ceiling_db, frames)
        self.static_db = self.output_values.value("drive_db", p.drive_db, frames)
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
        self.levels_db = {"level_met": met_db + late_ceiling_db, "level_new": self._new_db(added, out)}
        self._count(met_db[0] > 0.0)
        scope_push(self.state, dry, out)
        return out

    def _new_db(self, added: Block, out: Block) -> Block:
        """How much of what lies above 2 kHz is new, over the last while, (1, frames) dB."""
        bright_added, bright = added.copy(), out.copy()
        for block, state in zip((bright_added, bright), self.f64("bright"), strict=True):
            svf_rows(block, self._bright, state)
        told = np.empty((1, out.shape[1]))
        share_added(bright_added, bright, self._bright_share, self.f64("new"), told)
        return told

    def _count(self, over: NDArray[np.bool_]) -> None:
        """Note how many frames lie over the ceiling, and how often that begins again after a while below."""
        state = self.i64("over")
        at = np.flatnonzero(over)
        before = np.concatenate([[-1 - state[2]], at])
        state[0] += at.size
        state[1] += np.count_nonzero(np.diff(before) > self._apart)
        state[2] = min(over.size - 1 - before[-1], self._apart)

    def over_song(self) -> dict[str, NDArray[np.float64]]:
        """How many frames were over the ceiling, and how often."""
        frames, times, _ = self.i64("over")
        return {"over_frames": np.array([float(frames)]), "over_times": np.array([float(times)])}

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


def _told(found: Mapping[str, NDArray[np.floating[Any]]]) -> str:
    frames, times = (int(found[name][0]) for name in ("over_frames", "over_times"))
    often = "once" if times == 1 else f"{times:,} times"
    return f"{frames:,} samples over the ceiling, {often}" if frames else "nothing reaches the ceiling"


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
    says="Clips short peaks to make room for more level.",
    sought=("clip", "peaks", "headroom", "ceiling", "loud"),
    params=ClipperParams,
    build=Clipper,
    picture=_picture,
    summary=_summary,
    crossovers_hz=_crossovers_hz,
    dynamic=True,
    pushes="drive_db",
    louder=True,
    told=_told,
    ease=Ease(6.0, "ceiling +1.5 dB", lambda p: {"ceiling_db": min(0.0, p.ceiling_db + 1.5)}),
    columns=(
        ("Curve", ("ceiling_db", "drive_db", "knee")),
        ("Spectrum", ("spare_below_hz", "soften_above_hz")),
        ("Output", ("mix",)),
        ("Quality", ("oversampling",)),
    ),
)
