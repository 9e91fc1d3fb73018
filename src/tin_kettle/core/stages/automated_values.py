"""Values that follow the song through a block: taken on a grid of absolute song frames, so that no block shows."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Protocol

import numpy as np
from numpy.typing import NDArray

from tin_kettle.core.dsp.grid_values import between
from tin_kettle.core.dsp.timeline import Span

GRID_S = 64 / 48000
"""Distance of the points where values are taken; straight lines or steps lie between."""


class ValueSource(Protocol):
    """Values as functions of the song frame."""

    rows: Mapping[str, int]
    """Which row is whose."""

    def on_grid(self, first: int, step: int, count: int) -> NDArray[np.float64]:
        """(rows, count) at ``first``, ``first + step`` …"""
        ...


def grid_frames(rate_hz: float) -> int:
    """Frames from one point of the grid to the next: 64 at 48 kHz, the same time at other rates."""
    return max(round(GRID_S * rate_hz), 1)


class AutomatedValues:
    """What is ridden of a processor, over one block; without numbers nothing is.

    Args:
        numbers: the values by their parameters' names.
        span: where the block lies.
        grid: frames between two points of the grid.
    """

    def __init__(self, numbers: ValueSource | None = None, span: Span | None = None, grid: int = 1) -> None:
        self._numbers, self._span, self._grid = numbers, span, grid
        self._found: list[tuple[NDArray[np.float64], int, int]] | None = None

    def __contains__(self, name: str) -> bool:
        return self._numbers is not None and name in self._numbers.rows

    def __bool__(self) -> bool:
        return self._numbers is not None and bool(self._numbers.rows)

    def earlier(self, frames: int) -> AutomatedValues:
        """The same, with so many frames before the block."""
        return AutomatedValues(self._numbers, self._span.longer(frames) if self._span else None, self._grid)

    @property
    def _runs(self) -> list[tuple[NDArray[np.float64], int, int]]:
        """Of every unbroken run its values on the grid, one point more than steps, frames begun, and its length."""
        if self._found is not None:
            return self._found
        assert self._numbers is not None and self._span is not None
        grid, listed = self._grid, []
        for song, frames in self._span.runs:
            begun = song % grid
            listed.append((self._numbers.on_grid(song - begun, grid, -(-(begun + frames) // grid) + 1), begun, frames))
        self._found = listed
        return listed

    def steps(self, frames: int) -> NDArray[np.int64]:
        """Borders of the stretches over which values hold, 0 … ``frames``."""
        if not self:
            return np.array([0, frames])
        parts: list[NDArray[np.int64]] = []
        at = 0
        for values, begun, run in self._runs:
            borders = np.arange(at - begun, at - begun + self._grid * values.shape[1], self._grid)
            borders[0], borders[-1] = at, at + run
            # where one run ends the next begins
            parts.append(borders[1:] if parts else borders)
            at += run
        return parts[0] if len(parts) == 1 else np.concatenate(parts)

    def table(self, still: Mapping[str, float], frames: int) -> tuple[NDArray[np.int64], NDArray[np.float64]]:
        """:meth:`steps`, and of each stretch what the values are at its beginning, (stretches, values)."""
        steps = self.steps(frames)
        values = np.empty((len(steps) - 1, len(still)))
        values[:] = list(still.values())
        for column, name in enumerate(still):
            if name in self:
                values[:, column] = self.held(name, 0.0, len(values))
        return steps, values

    def held(self, name: str, still: float, count: int) -> NDArray[np.float64]:
        """(count,) the value at the beginning of each stretch of the grid; ``still`` where nothing moves it."""
        if self._numbers is None or name not in self._numbers.rows:
            return np.full(count, float(still))
        row = self._numbers.rows[name]
        parts = [values[row, :-1] for values, _, _ in self._runs]
        return parts[0] if len(parts) == 1 else np.concatenate(parts)

    def value(self, name: str, still: float, frames: int) -> float | NDArray[np.float64]:
        """The value at every frame, (frames,), or the one number that it is where nothing moves it."""
        return self.every(name, still, frames) if name in self else float(still)

    def every(self, name: str, still: float, frames: int) -> NDArray[np.float64]:
        """(frames,) the value at every frame, straight between the points of the grid."""
        if self._numbers is None or name not in self._numbers.rows:
            return np.full(frames, float(still))
        row, out, at = self._numbers.rows[name], np.empty(frames), 0
        for values, begun, run in self._runs:
            between(values[row], begun, self._grid, out[at : at + run])
            at += run
        return out


STILL = AutomatedValues()
