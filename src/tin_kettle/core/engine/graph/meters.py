"""What stages and branches read: named series, each value of an exact piece of sound."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from tin_kettle.core.dsp.block import Block
from tin_kettle.core.dsp.compile import inline, kernel
from tin_kettle.core.dsp.decibels import DB_PER_OCTAVE, FLOOR, log2

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
    hop_peaks_db(np.ascontiguousarray(block), start % METER_HOP, hops)
    return start // METER_HOP, hops


def series_db(name: str, values_db: Block, start: int) -> tuple[int, Row]:
    """Strongest gains, or highest levels, of (1 or 2, frames) that begin at a frame of the stream."""
    hops = np.empty(_hops(values_db.shape[1], start))
    gather = hop_strongest if is_effort(name) else hop_highest
    gather(np.ascontiguousarray(values_db), start % METER_HOP, hops)
    return start // METER_HOP, hops


def _hops(frames: int, start: int) -> int:
    return -(-(start % METER_HOP + frames) // METER_HOP)


@inline
def extremes(part: Row, low: float, high: float) -> tuple[float, float]:
    """Lowest and highest of all values, ``low`` and ``high`` among them."""
    # a comparison waits for the one before: four at a time wait no longer than one
    low_a = low_b = low_c = low_d = low
    high_a = high_b = high_c = high_d = high
    whole = part.shape[0] - part.shape[0] % 4
    for i in range(0, whole, 4):
        a, b, c, d = part[i], part[i + 1], part[i + 2], part[i + 3]
        low_a, low_b, low_c, low_d = min(low_a, a), min(low_b, b), min(low_c, c), min(low_d, d)
        high_a, high_b, high_c, high_d = max(high_a, a), max(high_b, b), max(high_c, c), max(high_d, d)
    for i in range(whole, part.shape[0]):
        low_a, high_a = min(low_a, part[i]), max(high_a, part[i])
    return min(min(low_a, low_b), min(low_c, low_d)), max(max(high_a, high_b), max(high_c, high_d))


@kernel("void(float64[:, ::1], int64, float64[::1])")
def hop_peaks_db(block: Block, begun: int, out: Row) -> None:
    """Highest magnitude of all rows in every hop, dB; of the first, ``begun`` frames are over."""
    out[:] = 0.0
    for row in range(block.shape[0]):
        x = block[row]
        for hop in range(out.shape[0]):
            low, high = extremes(x[max(hop * METER_HOP - begun, 0) : (hop + 1) * METER_HOP - begun], 0.0, 0.0)
            out[hop] = max(out[hop], max(high, -low))
    for hop in range(out.shape[0]):
        out[hop] = DB_PER_OCTAVE * log2(max(out[hop], FLOOR))


@kernel("void(float64[:, ::1], int64, float64[::1])")
def hop_strongest(block: Block, begun: int, out: Row) -> None:
    """Of all rows in every hop the value that is farthest from nothing; of the first, ``begun`` frames are over."""
    out[:] = 0.0
    for row in range(block.shape[0]):
        x = block[row]
        for hop in range(out.shape[0]):
            low, high = extremes(x[max(hop * METER_HOP - begun, 0) : (hop + 1) * METER_HOP - begun], 0.0, 0.0)
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
            out[hop] = extremes(part, 0.0, out[hop])[1]


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
