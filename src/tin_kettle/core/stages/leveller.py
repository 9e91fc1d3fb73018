"""Leveller: brings notes up and down, slowly, to the sound's own long average."""

from __future__ import annotations

import numpy as np

from tin_kettle.core.dsp.block import Block
from tin_kettle.core.dsp.decibels import apply_db
from tin_kettle.core.dsp.dynamics import one_pole
from tin_kettle.core.dsp.levelling import FAR_DB, NEAR_DB, levelling_db
from tin_kettle.core.dsp.svf import FORGOTTEN
from tin_kettle.core.stages.declare import Kind, Params, Picture, number
from tin_kettle.core.stages.processor import Processor
from tin_kettle.core.stages.words import db, ms

AVERAGE_TIMES = 8.0
"""How much longer than its speed the average remembers."""
SMOOTH_TIMES = 0.5


class LevellerParams(Params):
    reach_db: float = number(
        0,
        0,
        12,
        label="Range",
        unit="dB",
        ticks=(0, 3, 6, 9, 12),
        says="Sets the largest gain change, up or down.",
    )
    speed_s: float = number(
        0.8,
        0.1,
        5,
        label="Speed",
        unit="s",
        scale="log",
        ticks=(0.1, 0.3, 0.8, 2, 5),
        says="Sets the averaging time: short evens notes, long evens phrases.",
    )


class Leveller(Processor):
    def __init__(self, params: LevellerParams, rate_hz: float) -> None:
        super().__init__()
        self._reach_db = params.reach_db
        speed_ms = 1000.0 * params.speed_s
        self._quick = one_pole(speed_ms, rate_hz)
        self._slow = one_pole(AVERAGE_TIMES * speed_ms, rate_hz)
        self._smooth = one_pole(SMOOTH_TIMES * speed_ms, rate_hz)
        self.memory_s = FORGOTTEN * AVERAGE_TIMES * params.speed_s if params.reach_db else 0.0
        self.state = {"slow": np.zeros(5)}

    def process(self, block: Block) -> Block:
        told = np.empty((3, block.shape[1]))
        levelling_db(block, self._reach_db, self._quick, self._slow, self._smooth, self.f64("slow"), told)
        gain_db = told[:1].copy()
        self.efforts_db = {"effort_db": gain_db}
        self.levels_db = {"level_now": told[1:2].copy(), "level_average": told[2:].copy()}
        out = block.copy()
        if self._reach_db:
            apply_db(out, gain_db, 0.0)
        return out


def _picture(params: LevellerParams, rate_hz: float) -> Picture:
    """Gain against how far a sound lies below its average, dB."""
    below = np.linspace(-FAR_DB, FAR_DB + 6.0, 109)
    reach = params.reach_db
    gain = np.clip(below, -reach, reach) * np.clip((FAR_DB - below) / (FAR_DB - NEAR_DB), 0.0, 1.0)
    return {"below_db": below.round(3).tolist(), "gain_db": gain.round(3).tolist()}


def _summary(params: LevellerParams) -> str:
    if not params.reach_db:
        return "leaves everything as it is"
    return f"up to {db(params.reach_db, signed=False)} up or down over {ms(1000.0 * params.speed_s)}"


KIND = Kind(
    name="leveller",
    title="Leveller",
    says="Evens out notes and phrases slowly towards the average level.",
    sought=("even", "level", "ride", "automatic gain", "notes", "vocal", "bass", "consistent"),
    params=LevellerParams,
    build=Leveller,
    picture=_picture,
    summary=_summary,
    dynamic=True,
)
