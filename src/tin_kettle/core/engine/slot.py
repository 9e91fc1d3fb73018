"""What every stage shares: on, channels, mix, alignment, crossfaded changes, taps and meters.

A :class:`Voice` is one setting of a stage; a :class:`Slot` is the stage's place in a chain, which goes from one
voice to the next in 10 ms. Stages never write any of this again.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Literal, Self

import numpy as np
from numpy.typing import NDArray

from tin_kettle.core.dsp.delay import delayed, remember
from tin_kettle.core.dsp.forking import twin_of
from tin_kettle.core.engine.fading import fade_frames, fade_in
from tin_kettle.core.recipe.model import Stage
from tin_kettle.core.stages.declare import Channels
from tin_kettle.core.stages.processor import Block, Processor

METER_HOP = 256
"""Frames that one reading of a meter spans."""
Tap = Literal["result", "removed", "detector"]


def pick(block: Block, channels: Channels) -> Block:
    """The component that a stage treats, (2, frames); mid, side, left and right stand in both rows."""
    if channels == "stereo":
        return block.copy()
    if channels in ("left", "right"):
        row = block[0 if channels == "left" else 1]
    else:
        row = 0.5 * (block[0] + block[1]) if channels == "mid" else 0.5 * (block[0] - block[1])
    return np.stack([row, row])


def place(part: Block, channels: Channels) -> Block:
    """A component where it belongs in left and right, with nothing in the others."""
    out = part.copy()
    if channels == "side":
        out[1] *= -1.0
    elif channels in ("left", "right"):
        out[1 if channels == "left" else 0] = 0.0
    return out


def rejoin(treated: Block, untouched: Block, channels: Channels) -> Block:
    """Left and right again, from the treated component and the aligned (2, frames) input."""
    if channels == "stereo":
        return treated
    out = untouched.copy()
    if channels in ("left", "right"):
        row = 0 if channels == "left" else 1
        out[row] = treated[row]
        return out
    mid = treated[0] if channels == "mid" else 0.5 * (untouched[0] + untouched[1])
    side = treated[0] if channels == "side" else 0.5 * (untouched[0] - untouched[1])
    np.add(mid, side, out=out[0])
    np.subtract(mid, side, out=out[1])
    return out


@dataclass
class Reading:
    """A stage's meters, one value a ``METER_HOP``, all (readings,) in dB: levels are peaks, effort the strongest."""

    input_db: NDArray[np.float64]
    heard_db: NDArray[np.float64]
    effort_db: NDArray[np.float64]


class Voice:
    """A stage at one setting. Everything about it stays fixed; only its states move."""

    def __init__(self, stage: Stage, rate_hz: float) -> None:
        self.stage = stage
        self.processor: Processor | None = None
        processor = stage.declared.build(stage.params, rate_hz)
        if stage.on:
            self.processor = processor
        # one that is off keeps its delay, so that nothing moves when it comes on
        self.delay = processor.delay
        self.line = np.zeros((2, self.delay))

    def fork(self) -> Self:
        twin = twin_of(self)
        twin.processor = self.processor.fork() if self.processor else None
        twin.line = self.line.copy()
        return twin

    def adopt(self, other: Voice) -> None:
        """Go on from another setting's state."""
        if self.line.shape == other.line.shape:
            self.line[:] = other.line
        same_part = self.stage.channels == other.stage.channels
        if self.processor and other.processor and same_part:
            self.processor.adopt(other.processor)

    def process(self, block: Block, tap: Tap, key: Block | None) -> tuple[Block, Block | None]:
        """The block as left and right, and what the tap hears of it."""
        stage, channels = self.stage, self.stage.channels
        if self.processor is None:
            out = delayed(block, self.line)
            return out, np.zeros_like(block) if tap != "result" else None
        self.processor.key = None if key is None else pick(key, channels)
        wet = self.processor.process(pick(block, channels))
        if stage.mix == 1.0 and channels == "stereo" and tap == "result":
            remember(block, self.line)
            return wet, None
        dry = delayed(block, self.line)
        if stage.mix < 1.0:
            wet = (1.0 - stage.mix) * pick(dry, channels) + stage.mix * wet
        out = rejoin(wet, dry, channels)
        if tap == "removed":
            static = 1.0 - stage.mix + stage.mix * self.processor.static_gain
            return out, place(pick(dry, channels) * static - wet, channels)
        if tap == "detector":
            heard = self.processor.detector
            return out, place(heard, channels) if heard is not None else dry
        return out, None


def keys_of(stage: Stage) -> tuple[str, ...]:
    """Ids of the buses and groups that a stage's detector listens to; none while it is off."""
    return stage.declared.keys(stage.params) if stage.on else ()


class Slot:
    """A stage's place in a chain. ``reading`` and ``tapped`` belong to the last block."""

    def __init__(self, stage: Stage, rate_hz: float) -> None:
        self._rate_hz = rate_hz
        self._voice = Voice(stage, rate_hz)
        self._old: Voice | None = None
        self._waiting: Stage | None = None
        self._faded = 0
        self._fade = fade_frames(rate_hz)
        self.tap: Tap = "result"
        self.metered = False
        self.tapped: Block | None = None
        self.reading: Reading | None = None
        self.wait_line = np.zeros((2, 0))
        self.key_lines: dict[str, NDArray[np.float64]] = {}
        self._key: Block | None = None

    @property
    def stage(self) -> Stage:
        """The setting that it has or is going to."""
        return self._waiting or self._voice.stage

    @property
    def delay(self) -> int:
        """Frames between its input and its output: the wait for its keys and the setting's own."""
        return self.wait_line.shape[1] + self._voice.delay

    @property
    def detector(self) -> Block | None:
        """What the detector heard of the last block, (2, frames); None where the stage has none or is off."""
        return self._voice.processor.detector if self._voice.processor else None

    @property
    def keys(self) -> tuple[str, ...]:
        """What its detector listens to, where that is not its own input."""
        return keys_of(self._voice.stage)

    def wait_for_keys(self, at: int, tapped_at: Mapping[str, int]) -> None:
        """Line up with the keys: the input is ``at`` frames late, the taps as many as ``tapped_at`` says."""
        latest = max([at, *(tapped_at[key] for key in self.keys)])
        self.wait_line = np.zeros((2, latest - at))
        self.key_lines = {key: np.zeros((2, latest - tapped_at[key])) for key in self.keys}

    def hear_keys(self, taps: Mapping[str, Block]) -> None:
        """Take the keys of the next block; several sound together."""
        if self.key_lines:
            parts = [delayed(taps[key], line) for key, line in self.key_lines.items()]
            self._key = np.add.reduce(parts)

    def fork(self) -> Self:
        twin = twin_of(self)
        twin.wait_line = self.wait_line.copy()
        twin.key_lines = {key: line.copy() for key, line in self.key_lines.items()}
        twin._voice = self._voice.fork()
        twin._old = self._old.fork() if self._old else None
        return twin

    def adopt(self, other: Slot) -> None:
        """Go on from another slot of the same stage, whose delay must be the same; differences are faded."""
        wanted = self._voice.stage
        twin = other.fork()
        if self.wait_line.shape == other.wait_line.shape:
            self.wait_line[:] = other.wait_line
        for key, line in self.key_lines.items():
            theirs = other.key_lines.get(key)
            if theirs is not None and theirs.shape == line.shape:
                line[:] = theirs
        self._voice, self._old, self._faded, self._waiting = (
            twin._voice,
            twin._old,
            twin._faded,
            twin._waiting,
        )
        self.change(wanted)

    def can_become(self, stage: Stage) -> bool:
        """Whether a setting has the same delay, so that :meth:`change` may go to it."""
        if stage == self._voice.stage:
            return True
        return self._voice.delay == stage.declared.build(stage.params, self._rate_hz).delay

    def change(self, stage: Stage) -> None:
        """Go to another setting of the same kind and delay within 10 ms; a fade under way is finished first."""
        if stage == self.stage:
            return
        if stage == self._voice.stage:
            self._waiting = None
            return
        if self._old is not None:
            self._waiting = stage
            return
        self._waiting = None
        self._old, self._voice = self._voice, Voice(stage, self._rate_hz)
        self._voice.adopt(self._old)
        self._faded = 0

    def process(self, block: Block) -> Block:
        """Next block, (2, frames)."""
        block = delayed(block, self.wait_line)
        if self._old is None:
            return self._steady(block, self._key)
        parts, taps, at = [], [], 0
        while at < block.shape[1]:
            run = block.shape[1] - at
            if self._old is not None:
                run = min(run, self._fade - self._faded)
            piece = np.ascontiguousarray(block[:, at : at + run])
            key = None if self._key is None else np.ascontiguousarray(self._key[:, at : at + run])
            parts.append(self._steady(piece, key) if self._old is None else self._fading(piece, key))
            taps.append(self.tapped)
            at += run
        whole = [t for t in taps if t is not None]
        self.tapped = np.concatenate(whole, axis=1) if whole else None
        return np.concatenate(parts, axis=1)

    def _steady(self, block: Block, key: Block | None) -> Block:
        out, self.tapped = self._voice.process(block, self.tap, key)
        if self.metered:
            self.reading = self._read(block, self._voice.processor)
        return out

    def _fading(self, block: Block, key: Block | None) -> Block:
        old = self._old
        assert old is not None
        before, tap_before = old.process(block, self.tap, key)
        after = self._steady(block, key)
        ramp = fade_in(self._faded, block.shape[1], self._fade)
        if self.tapped is not None and tap_before is not None:
            self.tapped = tap_before + ramp * (self.tapped - tap_before)
        self._faded += block.shape[1]
        if self._faded >= self._fade:
            self._old = None
            if self._waiting is not None:
                waiting, self._waiting = self._waiting, None
                self.change(waiting)
        return before + ramp * (after - before)

    def _read(self, block: Block, processor: Processor | None) -> Reading:
        level_db = _peaks_db(pick(block, self._voice.stage.channels))
        heard = processor.detector if processor else None
        effort = processor.effort_db if processor else None
        return Reading(
            input_db=level_db,
            heard_db=_peaks_db(heard) if heard is not None else level_db,
            effort_db=_hops(effort, np.minimum) if effort is not None else np.zeros_like(level_db),
        )


def _hops(block: Block, extreme: np.ufunc) -> NDArray[np.float64]:
    if not block.shape[1]:
        return np.zeros(0)
    both = extreme.reduce(block, axis=0)
    return np.asarray(extreme.reduceat(both, np.arange(0, block.shape[1], METER_HOP)))


def _peaks_db(block: Block) -> NDArray[np.float64]:
    return np.asarray(20.0 * np.log10(np.maximum(_hops(np.abs(block), np.maximum), 1e-10)))
