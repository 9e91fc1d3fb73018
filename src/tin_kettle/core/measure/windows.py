"""Cutting a stream of blocks into windows of one length."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from tin_kettle.core.dsp.block import Block


class Windows:
    """Cuts what is fed into windows, whatever the length of the blocks.

    Args:
        size: frames of a window.
        hop: frames from the start of one to the next, at most ``size``.
        silence: frames of silence before the first block.
    """

    def __init__(self, size: int, hop: int, silence: int = 0) -> None:
        self._size, self._hop = size, hop
        self._pending = [np.zeros((2, silence))]
        self._frames = silence

    def feed(self, block: Block) -> Iterator[Block]:
        """Windows, (2, size) each, that are complete with this block, (2, frames); take all of them."""
        self._pending.append(block)
        self._frames += block.shape[1]
        if self._frames < self._size:
            return
        joined = np.concatenate(self._pending, axis=1)
        at = 0
        while self._frames - at >= self._size:
            yield joined[:, at : at + self._size]
            at += self._hop
        self._pending = [joined[:, at:]]
        self._frames -= at
