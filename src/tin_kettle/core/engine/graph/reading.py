"""What stages and branches read: named series, each value of an exact piece of sound."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from tin_kettle.core.dsp.compile import kernel
from tin_kettle.core.stages.processor import Block

METER_HOP = 256
"""Frames that one value spans, counted from the beginning of the stream."""
SILENT_DB = -200.0
Row = NDArray[np.float64]


def is_effort(name: str) -> bool:
    """Whether a series tells what is taken off or added; the others are levels."""
    return name.startswith("effort")


def strongest(a: Row, b: Row) -> Row:
    """Of two efforts the one that is farther from nothing."""
    return np.where(np.abs(b) > np.abs(a), b, a)


def merged(name: str, a: Row, b: Row) -> Row:
    """One value of two that are of the same piece of sound."""
    return strongest(a, b) if is_effort(name) else np.maximum(a, b)


@dataclass(frozen=True)
class Reading:
    """Values of one block: series → (first hop, (hops,) dB). Hops at both ends may be of a part of their span only."""

    rows: Mapping[str, tuple[int, Row]]


def levels_db(block: Block, start: int) -> tuple[int, Row]:
    """Peaks of (2, frames) that begin at a frame of the stream."""
    hops = np.empty(_hops(block.shape[1], start))
    hop_peaks(np.ascontiguousarray(block), start % METER_HOP, hops)
    return start // METER_HOP, np.asarray(20.0 * np.log10(np.maximum(hops, 1e-10)))


def series_db(name: str, values_db: Block, start: int) -> tuple[int, Row]:
    """Strongest gains, or highest levels, of (1 or 2, frames) that begin at a frame of the stream."""
    hops = np.empty(_hops(values_db.shape[1], start))
    gather = hop_strongest if is_effort(name) else hop_highest
    gather(np.ascontiguousarray(values_db), start % METER_HOP, hops)
    return start // METER_HOP, hops


def _hops(frames: int, start: int) -> int:
    return -(-(start % METER_HOP + frames) // METER_HOP)


@kernel("void(float64[:, ::1], int64, float64[::1])")
def hop_peaks(block: Block, begun: int, out: Row) -> None:
    """Highest magnitude of all rows in every hop; of the first, ``begun`` frames are over."""
    out[:] = 0.0
    for row in range(block.shape[0]):
        x = block[row]
        for hop in range(out.shape[0]):
            part = x[max(hop * METER_HOP - begun, 0) : (hop + 1) * METER_HOP - begun]
            most = out[hop]
            for i in range(part.shape[0]):
                most = max(most, abs(part[i]))
            out[hop] = most


@kernel("void(float64[:, ::1], int64, float64[::1])")
def hop_strongest(block: Block, begun: int, out: Row) -> None:
    """Of all rows in every hop the value that is farthest from nothing; of the first, ``begun`` frames are over."""
    out[:] = 0.0
    for row in range(block.shape[0]):
        x = block[row]
        for hop in range(out.shape[0]):
            part = x[max(hop * METER_HOP - begun, 0) : (hop + 1) * METER_HOP - begun]
            low = 0.0
            high = 0.0
            for i in range(part.shape[0]):
                low = min(low, part[i])
                high = max(high, part[i])
            for value in (low, high):
                if abs(value) > abs(out[hop]):
                    out[hop] = value


@kernel("void(float64[:, ::1], int64, float64[::1])")
def hop_highest(block: Block, begun: int, out: Row) -> None:
    """Highest value of all rows in every hop; of the first, ``begun`` frames are over."""
    out[:] = SILENT_DB
    for row in range(block.shape[0]):
        x = block[row]
        for hop in range(out.shape[0]):
            part = x[max(hop * METER_HOP - begun, 0) : (hop + 1) * METER_HOP - begun]
            most = out[hop]
            for i in range(part.shape[0]):
                most = max(most, part[i])
            out[hop] = most


class Series:
    """Readings of one stage put together, so that they can be asked for by the sound that they are of."""

    def __init__(self) -> None:
        self._rows: dict[str, list[tuple[int, Row]]] = {}

    def fork(self) -> Series:
        """A copy that goes on from the same readings, which are shared."""
        twin = Series()
        twin._rows = {name: list(rows) for name, rows in self._rows.items()}
        return twin

    def add(self, reading: Reading) -> None:
        """Take in what was read of the next block. What was read of the same sound before is void."""
        for name, row in reading.rows.items():
            rows = self._rows.setdefault(name, [])
            while rows and rows[-1][0] >= row[0]:
                rows.pop()
            rows.append(row)

    def forget(self, before: int) -> None:
        """Drop what is of sound before a hop."""
        for rows in self._rows.values():
            while rows and rows[0][0] + len(rows[0][1]) <= before:
                rows.pop(0)

    def between(self, first: int, hops: int) -> dict[str, Row]:
        """(hops,) of every series from a hop on; where nothing was read, silence and no effort."""
        told = {}
        for name, rows in self._rows.items():
            out = np.full(hops, 0.0 if is_effort(name) else SILENT_DB)
            for at, values in rows:
                low, high = max(at, first), min(at + len(values), first + hops)
                if low < high:
                    there = slice(low - first, high - first)
                    out[there] = merged(name, out[there], values[low - at : high - at])
            told[name] = out
        return told
