"""A network of delays that feed one another: a room that dies away evenly.

Eight delays go through a Hadamard matrix, which keeps their energy, and back into themselves, each a little quieter, so
that all die away at one rate whatever their length (Jot and Chaigne 1991, *Digital delay networks for designing
artificial reverberators*). All-passes before them (Schroeder 1962, *Natural sounding artificial reverberation*) make
the echoes dense from the start. The left side feeds and hears four of the delays, the right side the others.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from tin_kettle.core.dsp.compile import kernel

DELAYS_MS = (18.25, 24.19, 28.26, 34.42, 36.68, 45.73, 54.93, 59.4)
"""Of the largest room; left and right by turns. Of 260 that were drawn by chance, those whose third octaves lie
nearest to one another over four sizes."""
DIFFUSERS_MS = ((3.47, 7.54, 12.17), (3.82, 6.86, 8.98))
DIFFUSION = 0.6
SMALLEST = 0.25
"""The smallest room as a share of the largest."""
COMMON = 10.0 ** (0.3 / 20.0)
"""Over sizes, decays and rates noise came out 0.0 to 0.55 dB too quiet."""
_EIGHTH = 1.0 / np.sqrt(8.0)
_TINY = 1e-20


def lengths(size: float, rate_hz: float) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """(8,) delays and (2, 3) all-passes of a room of that size, 0 … 1, in frames."""
    share = (SMALLEST + (1.0 - SMALLEST) * size) * rate_hz / 1000.0
    return tuple(np.maximum(np.round(np.array(ms) * share), 1).astype(np.int64) for ms in (DELAYS_MS, DIFFUSERS_MS))  # type: ignore[return-value]


def falls(delays: NDArray[np.int64], decay_s: float, rate_hz: float) -> NDArray[np.float64]:
    """(8,) how much quieter each comes round: 60 dB in ``decay_s``."""
    return np.asarray(10.0 ** (-3.0 * delays / (decay_s * rate_hz)))


def loudness(fall: NDArray[np.float64]) -> float:
    """What the output is to be multiplied by, so that noise comes out with the energy that it came in with.

    In the steady state every delay gives the same power, and what its falls lose is what comes in: four delays a side
    take it in, and four give it out. What the delays have in common takes a little off; that was measured.
    """
    return float(COMMON * np.sqrt(np.sum(1.0 - fall**2) / (8.0 * 4.0)))


@kernel(
    "void(float64[:, ::1], int64[::1], int64[:, ::1], float64[::1], float64[:, ::1], float64[:, :, ::1], int64[::1])"
)
def reverberate(
    block: NDArray[np.float64],
    delays: NDArray[np.int64],
    diffusers: NDArray[np.int64],
    fall: NDArray[np.float64],
    rings: NDArray[np.float64],
    diffusing: NDArray[np.float64],
    at: NDArray[np.int64],
) -> None:
    """The room's answer in the place of the sound.

    Args:
        block: (2, frames), in and out.
        delays, diffusers, fall: from :func:`lengths` and :func:`falls`.
        rings: (8, longest) what is in the delays.
        diffusing: (2, 3, longest) what is in the all-passes.
        at: (8 + 6,) where each of them is.
    """
    o = np.empty(8)
    for i in range(block.shape[1]):
        for side in range(2):
            x = block[side, i]
            for stage in range(3):
                k = 8 + 3 * side + stage
                before = diffusing[side, stage, at[k]]
                fed = x - DIFFUSION * before
                x = before + DIFFUSION * fed
                diffusing[side, stage, at[k]] = fed if abs(fed) > _TINY else 0.0
                at[k] += 1
                if at[k] == diffusers[side, stage]:
                    at[k] = 0
            block[side, i] = x
        for k in range(8):
            o[k] = rings[k, at[k]]
        left = block[0, i]
        right = block[1, i]
        block[0, i] = o[0] - o[2] + o[4] - o[6]
        block[1, i] = o[1] - o[3] + o[5] - o[7]
        for k in range(8):
            o[k] *= fall[k]
        a0, a1, a2, a3 = o[0] + o[1], o[0] - o[1], o[2] + o[3], o[2] - o[3]
        a4, a5, a6, a7 = o[4] + o[5], o[4] - o[5], o[6] + o[7], o[6] - o[7]
        b0, b1, b2, b3 = a0 + a2, a1 + a3, a0 - a2, a1 - a3
        b4, b5, b6, b7 = a4 + a6, a5 + a7, a4 - a6, a5 - a7
        o[0], o[1], o[2], o[3] = b0 + b4, b1 + b5, b2 + b6, b3 + b7
        o[4], o[5], o[6], o[7] = b0 - b4, b1 - b5, b2 - b6, b3 - b7
        for k in range(8):
            fed = o[k] * _EIGHTH + (left if k % 2 == 0 else right)
            rings[k, at[k]] = fed if abs(fed) > _TINY else 0.0
            at[k] += 1
            if at[k] == delays[k]:
                at[k] = 0
