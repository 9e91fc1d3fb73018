"""Linear phase: the magnitudes of cascades of sections, by responses that are alike before and after their middle."""

from __future__ import annotations

import math
from collections.abc import Sequence
from functools import lru_cache
from typing import Self

import numpy as np
from numpy.typing import NDArray

from tin_kettle.core.dsp.block import Block
from tin_kettle.core.dsp.convolve import Convolver, partitioned, symmetric_taps
from tin_kettle.core.dsp.delay import DelayLine
from tin_kettle.core.dsp.mid_side import left_and_right, mid_and_side
from tin_kettle.core.dsp.svf import Sections, ring_s, spread_s, squared_tangent, svf_magnitude
from tin_kettle.core.dsp.transforms import dct
from tin_kettle.core.stages.processor import Processor

Domain = tuple[bool, NDArray[np.float64]]
"""Whether it is of mid and side, and the sections of both rows, (sections, 2, 5)."""
RESPONSE_S, PARTS = 1.3, 16
"""Least length of a linear-phase response, and its partitions: long enough for a bell 10 Hz wide at 24 dB. The delay is
half of it and a partition, 0.77 s at 48 kHz."""
LONGEST_RING_S = 0.13
"""Time constant up to which a response of this length reaches a curve within 0.1 dB."""
GONE = 25.0
"""Time constants after which there is no more of a response: 217 dB."""
FINER = 3
"""So much is put behind a response to find what it reaches between the points of its spectrum."""


def response_taps(rate_hz: float) -> int:
    """Length of a linear-phase response at a rate, a power of two."""
    return 1 << math.ceil(math.log2(RESPONSE_S * rate_hz))


class LinearPhase(Processor):
    """Magnitudes by symmetric responses, all frequencies equally late.

    Without a domain there is nothing to convolve, but the delay stays: moving a band must not move the song.
    """

    def __init__(self, domains: Sequence[Domain], rate_hz: float) -> None:
        super().__init__()
        taps = response_taps(rate_hz)
        self.delay = taps // 2 + taps // PARTS
        self.warm_frames = taps + 2 * (taps // PARTS)
        self.memory_s = self.warm_frames / rate_hz
        self.tail_s = taps / 2 / rate_hz
        self._turned = [turned for turned, _ in domains] == [True]
        self._response = _partitions([rows for _, rows in domains], rate_hz) if domains else None
        self._convolver = Convolver(PARTS, taps // PARTS)
        self.lines = {} if domains else {"line": DelayLine(self.delay)}

    def process(self, block: Block) -> Block:
        if self._response is None:
            return self.lines["line"].push(block)
        if self._turned:
            return left_and_right(self._convolver.process(mid_and_side(block), self._response))
        return self._convolver.process(block, self._response)

    def fork(self) -> Self:
        twin = super().fork()
        twin._convolver = self._convolver.fork()
        return twin

    def adopt(self, other: Processor) -> bool:
        if not isinstance(other, LinearPhase):
            return False
        if self._response is None or other._response is None or self._turned != other._turned:
            return self._response is None and other._response is None and super().adopt(other)
        self._convolver = other._convolver.fork()
        # what is heard next is made of the new response, without waiting for a partition to end
        self._convolver.renew(self._response)
        return True


def _partitions(listed: list[NDArray[np.float64]], rate_hz: float) -> NDArray[np.float64]:
    """The response of each domain's rows, for :class:`Convolver`: no longer than there is something of it."""
    taps = response_taps(rate_hz)
    part = taps // PARTS
    spread = max(spread_s(rows.reshape(-1, 5), rate_hz) for rows in listed)
    # flat over the inner half, it must have gone within a quarter
    while taps > 2 * part and GONE * spread * rate_hz <= taps // 8:
        taps //= 2
    return partitioned(symmetric_taps(_magnitudes(listed, taps, rate_hz)), taps // part)


@lru_cache(maxsize=8)
def _grid(taps: int, rate_hz: float) -> NDArray[np.float64]:
    """Squared tangents at the frequencies of a response's spectrum."""
    at_hz = np.asarray(np.arange(taps // 2 + 1) * (rate_hz / taps), dtype=np.float64)
    at_hz[-1] *= 1.0 - 1e-9  # the tangent has no value at half the rate
    return squared_tangent(at_hz, rate_hz)


def _magnitudes(listed: list[NDArray[np.float64]], taps: int, rate_hz: float) -> NDArray[np.float64]:
    """(1, 2 or 4, bins) for :class:`Convolver`: one where both sides are alike, or of mid and side or left and right
    alone, or of all that mixes them."""
    grid = _grid(taps, rate_hz)
    if len(listed) == 1 and np.array_equal(listed[0][:, 0], listed[0][:, 1]):
        return svf_magnitude(listed[0][:, 0], grid)[np.newaxis]
    made = [np.stack([svf_magnitude(rows[:, row], grid) for row in range(2)]) for rows in listed]
    if len(made) == 1:
        return made[0]
    (left, right), (mid, side) = made
    same, other = 0.5 * (mid + side), 0.5 * (mid - side)
    return np.stack([same * left, same * right, other * right, other * left])


def is_reached(sections: Sections, rate_hz: float) -> bool:
    """Whether a response of our length comes within 0.1 dB of a cascade's curve.

    What is very narrow rings for longer, cuts by their zeros. One on the unit circle, as notches and passes have, falls
    off more quickly than it would ring.
    """
    each_s = [spread_s(row[np.newaxis], rate_hz) for row in sections]
    return ring_s(sections, rate_hz) <= LONGEST_RING_S and not any(LONGEST_RING_S < s < math.inf for s in each_s)


def reached(sections: Sections, at_hz: NDArray[np.float64], rate_hz: float) -> NDArray[np.float64]:
    """Magnitude that a response of our length reaches of a cascade, (points,)."""
    if is_reached(sections, rate_hz):
        return svf_magnitude(sections, squared_tangent(at_hz, rate_hz))
    taps = response_taps(rate_hz)
    made = symmetric_taps(svf_magnitude(sections, _grid(taps, rate_hz))[np.newaxis])[0]
    found: NDArray[np.float64] = dct(np.concatenate([made, np.zeros(FINER * (made.size - 1))]), 1)
    places = at_hz * (2 * (found.size - 1) / rate_hz)
    first = np.clip(places.astype(np.intp) - 1, 0, found.size - 4)
    t = places - first
    # a cubic through the four nearest (Lagrange)
    weights = (
        (1.0 - t) * (t - 2.0) * (t - 3.0) / 6.0,
        t * (t - 2.0) * (t - 3.0) / 2.0,
        t * (1.0 - t) * (t - 3.0) / 2.0,
        t * (t - 1.0) * (t - 2.0) / 6.0,
    )
    return np.abs(sum((weight * found[first + i] for i, weight in enumerate(weights)), np.zeros(at_hz.size)))
