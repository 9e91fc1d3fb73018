"""What a processor is: a block in, a block out, with all that it remembers in named arrays."""

from __future__ import annotations

from typing import Self

import numpy as np
from numpy.typing import NDArray

from tin_kettle.core.dsp.forking import twin_of

Block = NDArray[np.float64]
"""Samples, (2, frames), C-contiguous."""


class Processor:
    """Base of all processors.

    ``state`` holds every array that lives from block to block; it is zero at the start. Coefficients are set when
    the processor is built and never change: a moved control builds another processor that adopts the state.
    """

    delay: int = 0
    """Frames between input and output."""
    static_gain: float = 1.0
    """Linear gain that belongs to the setting and not to the signal; not counted as removed."""
    detector: Block | None = None
    """What the last block's detector heard, where the stage has one."""
    effort_db: NDArray[np.float64] | None = None
    """Gain of the last block in dB, where the stage is dynamic; aligned with its output. (2, frames), or (1, frames) if
    both sides have the same."""

    def __init__(self) -> None:
        self.state: dict[str, NDArray[np.generic]] = {}

    key: Block | None = None
    """What the detector of the next block listens to instead of the block itself, (2, frames)."""

    def process(self, block: Block) -> Block:
        """Next block, as long as the one given; the input may be overwritten."""
        raise NotImplementedError

    def reset(self) -> None:
        """Forget all that was heard."""
        for array in self.state.values():
            array.fill(0)

    def fork(self) -> Self:
        """A copy that goes on from the same state."""
        twin = twin_of(self)
        twin.state = {name: array.copy() for name, array in self.state.items()}
        return twin

    def adopt(self, other: Processor) -> None:
        """Go on from another's state, array by array where the shapes agree."""
        for name, array in other.state.items():
            mine = self.state.get(name)
            if mine is not None and mine.shape == array.shape and mine.dtype == array.dtype:
                mine[...] = array

    def f64(self, name: str) -> NDArray[np.float64]:
        """A state array of floats, by name."""
        return self.state[name]  # type: ignore[return-value]

    def i64(self, name: str) -> NDArray[np.int64]:
        """A state array of whole numbers, by name."""
        return self.state[name]  # type: ignore[return-value]
