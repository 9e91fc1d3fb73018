"""Transients: hits and what follows them, each with a gain of its own, in a range of the spectrum."""

from __future__ import annotations

import numpy as np

from tin_kettle.core.dsp.block import Block
from tin_kettle.core.dsp.crossover import Bands
from tin_kettle.core.dsp.decibels import apply_db
from tin_kettle.core.dsp.dynamics import one_pole
from tin_kettle.core.dsp.svf import FORGOTTEN
from tin_kettle.core.dsp.transients import FULL_DB, QUIETEST_DB, hits
from tin_kettle.core.stages.declarations import Kind, Params, Picture, number
from tin_kettle.core.stages.number_text import db, hz, ms
from tin_kettle.core.stages.processor import Processor

FALL_DB_MS = 0.09
"""How quickly the quick level forgets: less than 1 dB between two crests of 50 Hz."""
RISEN_DB = 20.0
PICTURE_POINTS = 120
SMOOTHEST_MS = 0.5
LOW_OFF_HZ, HIGH_OFF_HZ = 20.0, 20000.0
"""Ends of the range at which nothing is divided."""


class TransientsParams(Params):
    attack_db: float = number(
        0,
        -12,
        12,
        label="Attack",
        unit="dB",
        ticks=(-12, -6, 0, 6, 12),
        says="Boosts or cuts the attack of each hit.",
        follows=True,
    )
    body_db: float = number(
        0,
        -12,
        12,
        label="Body",
        unit="dB",
        ticks=(-12, -6, 0, 6, 12),
        says="Boosts or cuts the sustain between hits.",
        follows=True,
    )
    speed_ms: float = number(
        15,
        1,
        100,
        label="Speed",
        unit="ms",
        scale="log",
        ticks=(1, 3, 10, 30, 100),
        says="Sets the length of an attack: short shapes the click, long the whole stroke.",
    )
    low_hz: float = number(
        20,
        20,
        10000,
        label="From",
        unit="Hz",
        scale="log",
        ticks=(20, 100, 500, 2000, 10000),
        says="Works above this frequency only. At 20 Hz there is no lower limit.",
    )
    high_hz: float = number(
        20000,
        100,
        20000,
        label="To",
        unit="Hz",
        scale="log",
        ticks=(100, 500, 2000, 8000, 20000),
        says="Works below this frequency only. At 20 kHz there is no upper limit.",
    )


def _crossovers_hz(params: TransientsParams) -> tuple[float, ...]:
    if params.high_hz <= params.low_hz:
        return ()
    low = (params.low_hz,) if params.low_hz > LOW_OFF_HZ else ()
    return (*low, params.high_hz) if params.high_hz < HIGH_OFF_HZ else low


class Transients(Processor):
    """The range lies between crossovers in phase; what is outside passes."""

    def __init__(self, params: TransientsParams, rate_hz: float) -> None:
        super().__init__()
        self._params = params
        corners = _crossovers_hz(params)
        self._bands = Bands(corners, rate_hz) if corners else None
        self._treated = 1 if params.low_hz > LOW_OFF_HZ else 0
        self._fall_db = FALL_DB_MS * 1000.0 / rate_hz
        # a rise of 20 dB counts wholly for just as long as the speed says
        slow_ms = params.speed_ms / np.log(RISEN_DB / FULL_DB)
        self._rise = one_pole(slow_ms, rate_hz)
        self._smooth = one_pole(min(SMOOTHEST_MS, 0.05 * params.speed_ms), rate_hz)
        self.memory_s = FORGOTTEN * slow_ms / 1000.0 + 0.2
        self.state = {"hits": np.array([QUIETEST_DB, QUIETEST_DB, 0.0])}
        if self._bands:
            self.state |= self._bands.silence

    def process(self, block: Block) -> Block:
        p, frames = self._params, block.shape[1]
        if p.high_hz <= p.low_hz:
            self.efforts_db, self.levels_db = {"effort_db": np.zeros((1, frames))}, {}
            return block
        parts = self._bands.process(block, self.state) if self._bands else [block.copy()]  # type: ignore[arg-type]
        part = parts[self._treated]
        told = np.empty((3, frames))
        attack_db = self.input_values.every("attack_db", p.attack_db, frames)
        body_db = self.input_values.every("body_db", p.body_db, frames)
        hits(part, self._fall_db, self._rise, self._smooth, attack_db, body_db, self.f64("hits"), told)
        gain_db = told[:1].copy()
        self.efforts_db = {"effort_db": gain_db}
        self.levels_db = {"level_quick": told[1:2].copy(), "level_shaped": told[1:2] + gain_db}
        if self.input_values or p.attack_db or p.body_db:
            apply_db(part, gain_db, 0.0)
        for other in parts:
            if other is not part:
                part += other
        return part


def _picture(params: TransientsParams, rate_hz: float) -> Picture:
    """The gain over time after a rise of 20 dB."""
    frames = round(0.003 * params.speed_ms * rate_hz)
    risen = np.full((2, frames), 0.1)
    risen[:, frames // 6 :] = 1.0
    whole = params.model_copy(update={"low_hz": LOW_OFF_HZ, "high_hz": HIGH_OFF_HZ})
    stage = Transients(whole, rate_hz)
    # it knows the quiet sound already
    stage.f64("hits")[:2] = -20.0
    stage.process(risen)
    gain_db = stage.efforts_db["effort_db"][0]
    at = np.linspace(0, frames - 1, PICTURE_POINTS).astype(np.int64)
    return {"ms": (1000.0 * (at - frames // 6) / rate_hz).round(3).tolist(), "gain_db": gain_db[at].round(3).tolist()}


def _summary(params: TransientsParams) -> str:
    if not params.attack_db and not params.body_db:
        return "leaves hits as they are"
    if params.high_hz <= params.low_hz:
        return "touches nothing: its range ends below where it begins"
    parts = [f"hits {db(params.attack_db)}"] if params.attack_db else []
    parts += [f"body {db(params.body_db)}"] if params.body_db else []
    corners = _crossovers_hz(params)
    where = f", {hz(params.low_hz)} to {hz(params.high_hz)}" if corners else ""
    return f"{' · '.join(parts)}, {ms(params.speed_ms)}{where}"


KIND = Kind(
    name="transients",
    title="Transients",
    says="Makes attacks stronger or softer against the sustain.",
    sought=("transient", "punch", "attack", "sustain", "snap", "drums", "hits", "click", "decay"),
    params=TransientsParams,
    build=Transients,
    picture=_picture,
    summary=_summary,
    hz_params=lambda p: [
        *([("low_hz", p.low_hz)] if p.low_hz > LOW_OFF_HZ else []),
        *([("high_hz", p.high_hz)] if p.high_hz < HIGH_OFF_HZ else []),
    ],
    crossovers_hz=_crossovers_hz,
    dynamic=True,
    columns=(
        ("Gain", ("attack_db", "body_db")),
        ("Time", ("speed_ms",)),
        ("Range", ("low_hz", "high_hz")),
        ("Output", ("mix",)),
    ),
)
