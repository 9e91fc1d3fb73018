"""What a processor is: a block in, a block out, with all that it remembers under a name."""

from __future__ import annotations

from collections.abc import Mapping
from types import MappingProxyType
from typing import Self

import numpy as np
from numpy.typing import NDArray

from tin_kettle.core.dsp.block import Block
from tin_kettle.core.dsp.delay import DelayLine
from tin_kettle.core.dsp.state_copy import twin_of
from tin_kettle.core.dsp.timeline import Span
from tin_kettle.core.stages.automated_values import STILL, AutomatedValues


class Processor:
    """Base of all processors.

    ``state`` holds every array that lives from block to block, ``lines`` what is never written to and may be shared;
    both are silence at the start. Coefficients are set when the processor is built and never change: a moved control
    builds another processor that adopts the state. What follows the song's time comes with each block in
    ``input_values``.
    """

    delay: int = 0
    """Frames between input and output."""
    warm_frames: int = 0
    """Frames of input after which its output no longer tells that it began from silence; memories are told apart."""
    memory_s: float = 0.0
    """How long ago still matters to its sound, as far as one can hear: what a new start has to be given."""
    tail_s: float = 0.0
    """How long it rings on after its input ends, until 96 dB are gone."""
    static_db: float | NDArray[np.float64] = 0.0
    """Gain of the last block that belongs to the setting and not to the signal, one number or (frames,); not counted as
    removed."""
    detector: Block | None = None
    """What the last block's detector heard, where the stage has one."""
    efforts_db: Mapping[str, Block] = MappingProxyType({})
    """Gains of the last block in dB by their names, ``effort_db`` and what begins so; aligned with its output. Each is
    (2, frames), or (1, frames) if both sides have the same."""
    levels_db: Mapping[str, Block] = MappingProxyType({})
    """Levels of the last block in dB by their names, such as what each of several detectors reads; aligned and shaped
    like the efforts."""
    key: Block | None = None
    """What the detector of the next block listens to instead of the block itself, (2, frames)."""
    input_values: AutomatedValues = STILL
    """Values that follow the song, at the time of the next block's input."""
    output_values: AutomatedValues = STILL
    """The same at the time of its output: for what acts on the delayed sound."""
    span: Span | None = None
    """Where in the song the next block lies, by its own time."""
    taps: Mapping[str, Block] = MappingProxyType({})
    """What buses and groups gave of the next block after their chains."""

    def __init__(self) -> None:
        self.state: dict[str, NDArray[np.generic]] = {}
        self.lines: dict[str, DelayLine] = {}

    def curves(self) -> dict[str, NDArray[np.float64]]:
        """What it works by at the moment, drawn over frequency: (points,) by name; asked for the chosen stage only."""
        return {}

    def over_song(self) -> dict[str, NDArray[np.float64]]:
        """What it did since it began: (points,) by name, such as an average over frequency; the survey keeps it."""
        return {}

    def align(self, latency_frames: int, tap_latencies: Mapping[str, int]) -> None:
        """Learn how late its input is, and the taps: for what holds chains of its own, whose delay depends on it."""

    def process(self, block: Block) -> Block:
        """Next block, as long as the one given, which stays as it is; where nothing changes it may be the same."""
        raise NotImplementedError

    def fork(self) -> Self:
        """A copy that goes on from the same state."""
        twin = twin_of(self)
        twin.state = {name: array.copy() for name, array in self.state.items()}
        twin.lines = {name: line.fork() for name, line in self.lines.items()}
        return twin

    def adopt(self, other: Processor) -> bool:
        """Go on from another's state, part by part where the shapes agree.

        Returns:
            False where a delay is left empty, so that it would fall silent: it has to be given what it missed.
        """
        for name, array in other.state.items():
            mine = self.state.get(name)
            if mine is not None and mine.shape == array.shape and mine.dtype == array.dtype:
                mine[...] = array
        for name, line in self.lines.items():
            theirs = other.lines.get(name)
            if theirs is None or theirs.frames != line.frames:
                return False
            self.lines[name] = theirs.fork()
        return True

    def f64(self, name: str) -> NDArray[np.float64]:
        """A state array of floats, by name."""
        return self.state[name]  # type: ignore[return-value]

    def i64(self, name: str) -> NDArray[np.int64]:
        """A state array of whole numbers, by name."""
        return self.state[name]  # type: ignore[return-value]
