"""Dither and quantising: noise that depends on the absolute position only, so that any slice is the same."""

from __future__ import annotations

from typing import Literal

import numpy as np
from numpy.typing import NDArray

from tin_kettle.core.dsp.compile import inline, kernel

Dither = Literal["none", "tpdf", "shaped"]
# Lipshitz, Vanderkooy, Wannamaker 1991, "Minimally audible noise shaping": five-coefficient error filter
SHAPING = np.array([2.033, -2.165, 1.959, -1.590, 0.6149])


@inline
def _uniform(counter: np.int64) -> float:
    """−0.5 … 0.5 from a counter (SplitMix64, Steele, Lea, Flood 2014)."""
    z = np.uint64(counter) * np.uint64(0x9E3779B97F4A7C15)
    z = (z ^ (z >> np.uint64(30))) * np.uint64(0xBF58476D1CE4E5B9)
    z = (z ^ (z >> np.uint64(27))) * np.uint64(0x94D049BB133111EB)
    z = z ^ (z >> np.uint64(31))
    return np.float64(z >> np.uint64(11)) * (1.0 / 9007199254740992.0) - 0.5


@kernel("int64(float64[:, ::1], int32[:, ::1], int64, int64, int64, boolean, float64[::1], float64[:, ::1])")
def _quantise(
    block: NDArray[np.float64],
    out: NDArray[np.int32],
    bits: int,
    position: int,
    seed: int,
    dithered: bool,
    shaping: NDArray[np.float64],
    errors: NDArray[np.float64],
) -> int:
    """Whole steps of ``bits`` into ``out``; returns how many samples ran over full scale and were clipped."""
    steps = np.float64(np.int64(1) << (bits - 1))
    clipped = 0
    order = shaping.shape[0]
    for channel in range(2):
        x = block[channel]
        for i in range(x.shape[0]):
            wanted = x[i] * steps
            for k in range(order):
                wanted -= shaping[k] * errors[channel, k]
            noise = 0.0
            if dithered:
                at = ((np.int64(position + i) * 2 + channel) * 2 + 1) ^ (seed << 40)
                noise = _uniform(at) + _uniform(at + 1)
            value = np.floor(wanted + noise + 0.5)
            for k in range(order - 1, 0, -1):
                errors[channel, k] = errors[channel, k - 1]
            if order:
                errors[channel, 0] = value - wanted
            if value > steps - 1.0:
                value = steps - 1.0
                clipped += 1
            elif value < -steps:
                value = -steps
                clipped += 1
            out[channel, i] = np.int32(value)
    return clipped


class Quantiser:
    """Turns doubles into whole steps of 16 or 24 bits, block after block from the first frame."""

    def __init__(self, bits: Literal[16, 24], dither: Dither, seed: int = 0) -> None:
        self._bits, self._dither, self._seed = bits, dither, seed
        self._shaping = SHAPING if dither == "shaped" else np.zeros(0)
        self._errors = np.zeros((2, max(len(self._shaping), 1)))
        self._position = 0
        self.clipped = 0
        """Samples that ran over full scale so far."""

    def quantise(self, block: NDArray[np.float64]) -> NDArray[np.int32]:
        """(2, frames) steps, −2^(bits−1) … 2^(bits−1) − 1."""
        out = np.empty(block.shape, dtype=np.int32)
        self.clipped += _quantise(
            np.ascontiguousarray(block),
            out,
            self._bits,
            self._position,
            self._seed,
            self._dither != "none",
            self._shaping,
            self._errors,
        )
        self._position += block.shape[1]
        return out
