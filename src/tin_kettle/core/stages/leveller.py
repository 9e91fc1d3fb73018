"""Leveller: brings each note up or down, as a whole, to the sound's own long average."""

from __future__ import annotations

import numpy as np

from tin_kettle.core.dsp.block import Block
from tin_kettle.core.dsp.decibels import apply_db
from tin_kettle.core.dsp.delay import DelayLine
from tin_kettle.core.dsp.dynamics import one_pole
from tin_kettle.core.dsp.note_gains import FAR_DB, NEAR_DB, NoteSpans, levelling_db
from tin_kettle.core.dsp.svf import FORGOTTEN
from tin_kettle.core.stages.declarations import Kind, Params, Picture, number
from tin_kettle.core.stages.number_text import db, ms
from tin_kettle.core.stages.processor import Processor

AVERAGE_TIMES = 8.0
"""How much longer than its speed the average remembers."""
NOTES_S = 0.8
"""Up to this speed gains change at once where a note begins; slower, they glide from phrase to phrase."""
WINDOW_S, JUDGED_S, CHANGE_S = (0.025, 0.08), (0.06, 0.2), 0.02
"""Between which the windows at a border, and what a note is judged by, stay; how long a change of gain takes."""


def spans_of(speed_s: float, rate_hz: float) -> NoteSpans:
    """A tenth of the speed on both sides of a border, a quarter judges a note, four times it is a note that lasts.

    What is known in advance does not depend on the speed, so that riding it does not move the song.
    """

    def frames(seconds: float) -> int:
        return max(round(seconds * rate_hz), 2)

    return NoteSpans(
        window=frames(min(max(0.1 * speed_s, WINDOW_S[0]), WINDOW_S[1])),
        judged=frames(min(max(0.25 * speed_s, JUDGED_S[0]), JUDGED_S[1])),
        longest=frames(4.0 * speed_s),
        ramp=frames(CHANGE_S + 0.5 * max(speed_s - NOTES_S, 0.0)),
        lead=frames(0.5 * CHANGE_S),
        ahead=frames(JUDGED_S[1]) + 2 * frames(WINDOW_S[1]) + frames(0.5 * CHANGE_S),
    )


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
        spans = spans_of(params.speed_s, rate_hz)
        self._spans = spans.row
        self._slow = one_pole(1000.0 * AVERAGE_TIMES * params.speed_s, rate_hz)
        self.memory_s = FORGOTTEN * AVERAGE_TIMES * params.speed_s if params.reach_db else 0.0
        self.delay = self.warm_frames = spans.ahead
        self.lines = {"line": DelayLine(self.delay)}
        self.state = spans.silence()

    def process(self, block: Block) -> Block:
        out = self.lines["line"].push(block)
        told = np.empty((3, block.shape[1]))
        levelling_db(
            block,
            self._spans,
            self._reach_db,
            self._slow,
            self.f64("sums"),
            self.f64("numbers"),
            self.i64("counters"),
            self.i64("begins"),
            told,
        )
        gain_db = told[:1].copy()
        self.efforts_db = {"effort_db": gain_db}
        self.levels_db = {"level_now": told[1:2].copy(), "level_average": told[2:].copy()}
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
    columns=(
        ("Level", ("reach_db",)),
        ("Time", ("speed_s",)),
        ("Output", ("mix",)),
    ),
)
