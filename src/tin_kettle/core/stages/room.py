"""Room: a short, dense space around the sound."""

from __future__ import annotations

import numpy as np

from tin_kettle.core.dsp.block import Block
from tin_kettle.core.dsp.delay import DelayLine
from tin_kettle.core.dsp.pass_filters import high_pass, low_pass
from tin_kettle.core.dsp.reverberation import falls, lengths, loudness, reverberate
from tin_kettle.core.dsp.svf import svf_cascade
from tin_kettle.core.stages.declarations import Kind, Params, Picture, number
from tin_kettle.core.stages.number_text import hz, ms
from tin_kettle.core.stages.processor import Processor

GONE_DB, HEARD_DB = 96.0, 52.0
LOUDEST_BIN_S = 0.005
LOWEST_HZ, HIGHEST_HZ = 20, 20000


class RoomParams(Params):
    size: float = number(
        0.3,
        0,
        1,
        label="Size",
        ticks=(0, 0.25, 0.5, 0.75, 1),
        says="Sets the size of the room.",
    )
    decay_s: float = number(
        0.6,
        0.1,
        5,
        label="Decay",
        unit="s",
        scale="log",
        ticks=(0.1, 0.3, 0.6, 1.5, 5),
        says="Sets the decay time (RT60).",
    )
    pre_delay_ms: float = number(
        8,
        0,
        100,
        label="Pre-delay",
        unit="ms",
        ticks=(0, 25, 50, 75, 100),
        says="Delays the reverb, so that the dry sound stays in front.",
    )
    low_cut_hz: float = number(
        200,
        LOWEST_HZ,
        2000,
        label="Low cut",
        unit="Hz",
        scale="log",
        ticks=(20, 100, 200, 500, 2000),
        says="Filters the reverb below this frequency, so that the lows stay firm. At 20 Hz it is off.",
    )
    high_cut_hz: float = number(
        9000,
        1000,
        HIGHEST_HZ,
        label="High cut",
        unit="Hz",
        scale="log",
        ticks=(1000, 3000, 9000, 20000),
        says="Filters the reverb above this frequency. At 20 kHz it is off.",
    )
    width: float = number(
        1, 0, 1, label="Width", ticks=(0, 0.25, 0.5, 0.75, 1), says="Sets the width of the reverb: 0 is mono."
    )


class Room(Processor):
    """Gives the space alone; the stage's mix adds it."""

    def __init__(self, params: RoomParams, rate_hz: float) -> None:
        super().__init__()
        self._params = params
        self._delays, self._diffusers = lengths(params.size, rate_hz)
        self._fall = falls(self._delays, params.decay_s, rate_hz)
        # a mid and a side of equal power are narrowed: what is left of the side is made up for
        self._gain = loudness(self._fall) * np.sqrt(2.0 / (1.0 + params.width**2))
        # at their ends the cuts are open; above what the rate carries there is nothing to cut
        low, high = params.low_cut_hz > LOWEST_HZ, params.high_cut_hz < min(HIGHEST_HZ, 0.49 * rate_hz)
        self._low_cut = high_pass(params.low_cut_hz, 12, 0.0, rate_hz) if low else np.empty((0, 5))
        self._high_cut = low_pass(params.high_cut_hz, 12, 0.0, rate_hz) if high else np.empty((0, 5))
        pre_s = params.pre_delay_ms / 1000.0
        self.tail_s = pre_s + params.decay_s * GONE_DB / 60.0
        self.memory_s = pre_s + params.decay_s * HEARD_DB / 60.0
        self.lines = {"pre": DelayLine(round(pre_s * rate_hz))}
        self.state = {
            "low": np.zeros((len(self._low_cut), 2, 2)),
            "high": np.zeros((len(self._high_cut), 2, 2)),
            "rings": np.zeros((8, int(self._delays.max()))),
            "diffusing": np.zeros((2, 3, int(self._diffusers.max()))),
            "at": np.zeros(14, dtype=np.int64),
        }

    def process(self, block: Block) -> Block:
        wet: Block = self.lines["pre"].push(block) * self._gain
        svf_cascade(wet, self._low_cut, self.f64("low"))
        svf_cascade(wet, self._high_cut, self.f64("high"))
        rings, diffusing, at = self.f64("rings"), self.f64("diffusing"), self.i64("at")
        reverberate(wet, self._delays, self._diffusers, self._fall, rings, diffusing, at)
        if self._params.width < 1.0:
            mid, side = 0.5 * (wet[0] + wet[1]), 0.5 * self._params.width * (wet[0] - wet[1])
            wet[0], wet[1] = mid + side, mid - side
        return wet

    def adopt(self, other: Processor) -> bool:
        """Another size is another room: it begins empty, and is given what it missed."""
        if not isinstance(other, Room) or not np.array_equal(other._delays, self._delays):
            return False
        return super().adopt(other)


def _picture(params: RoomParams, rate_hz: float) -> Picture:
    """The answer to a single click in the middle: its level every 5 ms, and what of its energy is left in mono."""
    room = Room(params, rate_hz)
    frames = round((params.pre_delay_ms / 1000.0 + params.decay_s * 1.1) * rate_hz)
    bin_frames = max(1, round(LOUDEST_BIN_S * rate_hz))
    click = np.zeros((2, -(-frames // bin_frames) * bin_frames))
    click[:, 0] = 1.0
    answer = room.process(click)
    power = (answer**2).mean(axis=0).reshape(-1, bin_frames).mean(axis=1)
    level_db = 10.0 * np.log10(np.maximum(power / max(float(power.max()), 1e-30), 1e-9))
    left, right = np.sum(answer**2, axis=1)
    mono = np.sum((0.5 * (answer[0] + answer[1])) ** 2)
    mono_db = 10.0 * float(np.log10(max(float(mono), 1e-30) / max(0.5 * float(left + right), 1e-30)))
    return {
        "s": (np.arange(level_db.size) * bin_frames / rate_hz).round(4).tolist(),
        "level_db": level_db.round(2).tolist(),
        "mono_db": round(mono_db, 1),
    }


def _summary(params: RoomParams) -> str:
    parts = [f"{ms(1000.0 * params.decay_s)} after {ms(params.pre_delay_ms)}, size {100 * params.size:.0f} %"]
    parts.append(f"{hz(params.low_cut_hz)} to {hz(params.high_cut_hz)}")
    if params.width < 1.0:
        parts.append(f"width {100 * params.width:.0f} %")
    return " · ".join(parts)


KIND = Kind(
    name="room",
    title="Room",
    says="Adds a short, dense reverb that places separate recordings in one room.",
    sought=("reverb", "ambience", "space", "hall", "depth", "together"),
    params=RoomParams,
    build=Room,
    picture=_picture,
    summary=_summary,
    mix=0.08,
    columns=(
        ("Room", ("size", "decay_s", "pre_delay_ms")),
        ("Filters", ("low_cut_hz", "high_cut_hz")),
        ("Output", ("width", "mix")),
    ),
)
