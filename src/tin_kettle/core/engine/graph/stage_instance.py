"""A stage at one setting: on, channels, mix, its place in time, and what its taps hear. Stages never write this."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Literal, Self

import numpy as np

from tin_kettle.core.dsp.block import Block
from tin_kettle.core.dsp.decibels import mix_in
from tin_kettle.core.dsp.delay import DelayLine, History
from tin_kettle.core.dsp.state_copy import twin_of
from tin_kettle.core.dsp.timeline import Span
from tin_kettle.core.engine.graph.allpass_alignment import AllpassAlignment, Moves
from tin_kettle.core.engine.graph.automation_values import TargetAutomation
from tin_kettle.core.engine.graph.components import pick, place, rejoin
from tin_kettle.core.stages.automated_values import STILL
from tin_kettle.core.stages.processor import Processor
from tin_kettle.core.stages.stage import Stage

Tap = Literal["result", "removed", "detector"]


class StageInstance:
    """Everything about it stays fixed but what follows the song; only its states move."""

    def __init__(self, stage: Stage, processor: Processor, corners: Moves, rate_hz: float) -> None:
        self.stage = stage
        # one that is off keeps its delay, so that nothing moves when it comes on
        self.processor = processor
        self.corners = corners
        self._line = DelayLine(processor.delay)
        self._allpass = AllpassAlignment(rate_hz)
        self._turns = False

    @property
    def delay(self) -> int:
        """Frames between input and output."""
        return self.processor.delay

    @property
    def detector(self) -> Block | None:
        """What the detector heard of the last block, (2, frames); None where there is none or the stage is off."""
        return self.processor.detector if self.stage.on else None

    @property
    def series_db(self) -> Mapping[str, Block]:
        """Gains and levels of the last block by their names; none while it is off."""
        return {**self.processor.levels_db, **self.processor.efforts_db} if self.stage.on else {}

    def align(self, latency_frames: int, tap_latencies: Mapping[str, int]) -> None:
        """Learn how late the input is."""
        self.processor.align(latency_frames, tap_latencies)
        if self._line.frames != self.delay:
            self._line = DelayLine(self.delay)

    def fork(self) -> Self:
        """A copy that goes on from the same state."""
        twin = twin_of(self)
        twin.processor, twin._line, twin._allpass = self.processor.fork(), self._line.fork(), self._allpass.fork()
        return twin

    def adopt(self, other: StageInstance) -> bool:
        """Go on from another setting's state.

        Returns:
            False where it would fall silent for a while: it has to be given what it missed.
        """
        if self._line.frames != other._line.frames:
            return False
        self._line, self._allpass = other._line.fork(), other._allpass.fork()
        if not self.stage.on:
            return True
        return other.stage.on and self.stage.channels == other.stage.channels and self.processor.adopt(other.processor)

    def process(
        self,
        block: Block,
        span: Span,
        automation: TargetAutomation,
        tap: Tap,
        key: Block | None,
        taps: Mapping[str, Block],
        past: History,
    ) -> tuple[Block, Block | None]:
        """The block as left and right, and what the tap hears of it.

        Args:
            span: where the block lies, by its own time.
            past: what came before it.
        """
        stage, processor, channels = self.stage, self.processor, self.stage.channels
        if not stage.on:
            out = self._line.push(block)
            return out, np.zeros_like(block) if tap != "result" else None
        output_span = span.delayed(processor.delay)
        if automation.follows.rows:
            processor.input_values = automation.values(span)
            processor.output_values = automation.values(output_span) if processor.delay else processor.input_values
        elif processor.input_values:
            processor.input_values = processor.output_values = STILL
        processor.key = None if key is None else pick(key, channels)
        processor.span, processor.taps = span, taps
        wet = processor.process(pick(block, channels))
        whole = stage.mix == 1.0 and "mix" not in processor.output_values
        if whole and channels == "stereo" and tap == "result":
            # nobody asks for the dry sound
            self._line.skip(block)
            self._turns = False
            return wet, None
        if not self._turns and self.corners != ():
            # it was not asked for before: its all-passes have to have heard what went by
            went = past.heard()[:, : -self.delay or None]
            if went.shape[1]:
                self._allpass.process(
                    went, self.corners, output_span.longer(went.shape[1]).part(0, went.shape[1]), automation.step
                )
        self._turns = True
        turned = self._allpass.process(self._line.push(block), self.corners, output_span, automation.step)
        part = turned if channels == "stereo" else pick(turned, channels)
        if not whole:
            mix = processor.output_values.every("mix", stage.mix, block.shape[1])
            treated, wet = wet, np.empty_like(block)
            mix_in(np.ascontiguousarray(part), np.ascontiguousarray(treated), mix, wet)
        out = rejoin(wet, turned, channels)
        if tap == "removed":
            mix = processor.output_values.every("mix", stage.mix, block.shape[1])
            static = 1.0 - mix + mix * 10.0 ** (np.asarray(processor.static_db) / 20.0)
            return out, place(part * static - wet, channels)
        if tap == "detector":
            heard = processor.detector
            return out, place(heard, channels) if heard is not None else turned
        return out, None
