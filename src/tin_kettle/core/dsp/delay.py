"""A plain delay of whole samples, kept as pieces of sound that nobody writes to: a copy of it costs nothing."""

from __future__ import annotations

from typing import Self

import numpy as np
from numpy.typing import NDArray

from tin_kettle.core.dsp.state_copy import twin_of

LEAST_PIECE = 512
"""Shorter pieces than this are joined, so that tiny blocks do not make long lists."""


def _joined(pieces: list[NDArray[np.float64]]) -> tuple[NDArray[np.float64], ...]:
    if len(pieces) > 1 and pieces[-1].shape[1] + pieces[-2].shape[1] <= LEAST_PIECE:
        pieces[-2:] = [np.concatenate(pieces[-2:], axis=1)]
    return tuple(pieces)


def _tail(block: NDArray[np.float64], frames: int) -> NDArray[np.float64]:
    """The end of a block; a small one as a copy, so that the rest of the block is not kept with it."""
    tail = block[:, block.shape[1] - frames :]
    return tail.copy() if 2 * frames < block.shape[1] else tail


class DelayLine:
    """The last frames of a stereo stream, (2, ``frames``), oldest first; silence at the start.

    Blocks that are pushed are kept as they are, so that they must not be written to afterwards.
    """

    def __init__(self, frames: int) -> None:
        self.frames = frames
        self._pieces: tuple[NDArray[np.float64], ...] = (np.zeros((2, frames)),) if frames else ()

    def fork(self) -> Self:
        """A line that goes on from the same sound."""
        return twin_of(self)

    def push(self, block: NDArray[np.float64]) -> NDArray[np.float64]:
        """Take (2, frames) in and give as many back, ``frames`` later."""
        if not self.frames:
            return block
        size, fill = block.shape[1], 0
        out = np.empty((2, size))
        if size >= self.frames and len(self._pieces) == 1:
            out[:, : self.frames] = self._pieces[0]
            out[:, self.frames :] = block[:, : size - self.frames]
            self._pieces = (_tail(block, self.frames),)
            return out
        left = [*self._pieces, block]
        while fill < size:
            piece = left[0]
            run = min(piece.shape[1], size - fill)
            out[:, fill : fill + run] = piece[:, :run]
            fill += run
            if run == piece.shape[1]:
                del left[0]
            else:
                left[0] = piece[:, run:]
        self._pieces = _joined(left)
        return out

    def skip(self, block: NDArray[np.float64]) -> None:
        """Take (2, frames) in where nobody listens to what comes out."""
        if not self.frames:
            return
        if block.shape[1] >= self.frames:
            self._pieces = (_tail(block, self.frames),)
        else:
            self.push(block)

    def heard(self) -> NDArray[np.float64]:
        """All of it, (2, ``frames``)."""
        return np.concatenate(self._pieces, axis=1) if self._pieces else np.zeros((2, 0))

    def clear(self) -> None:
        """Silence."""
        self._pieces = DelayLine(self.frames)._pieces


class History:
    """The last frames that went by, at most ``frames``: for whoever comes later and has to have heard them."""

    def __init__(self, frames: int) -> None:
        self.frames = frames
        self._pieces: tuple[NDArray[np.float64], ...] = ()
        self._kept = 0

    def fork(self) -> Self:
        """A memory that goes on from the same sound."""
        return twin_of(self)

    def push(self, block: NDArray[np.float64]) -> None:
        """Remember (2, frames), which must not be written to afterwards."""
        if not self.frames:
            return
        if block.shape[1] >= self.frames:
            self._pieces, self._kept = (_tail(block, self.frames),), self.frames
            return
        pieces = [*self._pieces, block]
        self._kept += block.shape[1]
        while self._kept - pieces[0].shape[1] >= self.frames:
            self._kept -= pieces.pop(0).shape[1]
        self._pieces = _joined(pieces)

    def heard(self) -> NDArray[np.float64]:
        """(2, at most ``frames``)."""
        if not self._pieces:
            return np.zeros((2, 0))
        return np.concatenate(self._pieces, axis=1)[:, -self.frames :]
