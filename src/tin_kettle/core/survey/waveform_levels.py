"""Waveforms at every zoom: lowest and highest sample of stretches of 256 frames, then of four times as many, …"""

from __future__ import annotations

from pathlib import Path
from typing import Self

import numpy as np
from numpy.typing import NDArray

from tin_kettle.core.atomic_files import written_beside

BASE_FRAMES = 256
FACTOR = 4
TOP_STRETCHES = 256


class WaveformBuilder:
    """Feeds on blocks of any size."""

    def __init__(self) -> None:
        self._parts: list[NDArray[np.float32]] = []
        self._rest = np.zeros((2, 0))
        self._frames = 0

    def feed(self, block: NDArray[np.float64]) -> None:
        """See (2, frames)."""
        self._frames += block.shape[1]
        joined = np.concatenate([self._rest, block], axis=1)
        whole = joined.shape[1] - joined.shape[1] % BASE_FRAMES
        if whole:
            self._parts.append(_stretches(joined[:, :whole], BASE_FRAMES))
        self._rest = joined[:, whole:]

    def finish(self) -> WaveformLevels:
        """All levels."""
        if self._rest.shape[1]:
            self._parts.append(np.array([[self._rest.min(), self._rest.max()]], dtype=np.float32).T)
        base = np.concatenate(self._parts, axis=1) if self._parts else np.zeros((2, 0), dtype=np.float32)
        return WaveformLevels(base, self._frames)


def _stretches(block: NDArray[np.float64], frames: int) -> NDArray[np.float32]:
    parts = block.reshape(2, -1, frames)
    return np.stack([parts.min(axis=(0, 2)), parts.max(axis=(0, 2))]).astype(np.float32)


class WaveformLevels:
    """(2, stretches) of lowest and highest sample of both channels; the coarser levels follow from the finest."""

    def __init__(self, base: NDArray[np.float32], frames: int) -> None:
        self.frames = frames
        self._levels = [base]
        while self._levels[-1].shape[1] > TOP_STRETCHES:
            finer = self._levels[-1]
            at = np.arange(0, finer.shape[1], FACTOR)
            self._levels.append(np.stack([np.minimum.reduceat(finer[0], at), np.maximum.reduceat(finer[1], at)]))

    @property
    def finest(self) -> NDArray[np.float32]:
        """(2, stretches) of ``BASE_FRAMES`` each."""
        return self._levels[0]

    def columns(self, start: int, end: int, count: int) -> NDArray[np.float32]:
        """(2, count) lowest and highest between two frames, from the coarsest level that is fine enough."""
        width = max((end - start) / count, 1.0)
        level = 0
        while level + 1 < len(self._levels) and BASE_FRAMES * FACTOR ** (level + 1) <= width:
            level += 1
        data = self._levels[level]
        edges = (start + width * np.arange(count)) / (BASE_FRAMES * FACTOR**level)
        if not data.shape[1]:
            return np.zeros((2, count), dtype=np.float32)
        at = np.clip(edges.astype(np.intp), 0, data.shape[1] - 1)
        stop = int(np.clip(np.ceil(end / (BASE_FRAMES * FACTOR**level)), at[-1] + 1, data.shape[1]))
        return np.stack([np.minimum.reduceat(data[0][:stop], at), np.maximum.reduceat(data[1][:stop], at)])

    def save(self, path: Path) -> None:
        """Write the finest level."""
        with written_beside(path) as beside, beside.open("wb") as file:
            np.savez(file, base=self._levels[0], frames=self.frames)

    @classmethod
    def load(cls, path: Path) -> Self:
        """Read what :meth:`save` wrote."""
        # opened here: what is no archive would leave it open
        with path.open("rb") as file, np.load(file) as kept:
            return cls(kept["base"], int(kept["frames"]))
