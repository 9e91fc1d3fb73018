"""A plain delay line of whole samples."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from tin_kettle.core.dsp.compile import kernel


def delayed(block: NDArray[np.float64], line: NDArray[np.float64]) -> NDArray[np.float64]:
    """Delay (2, frames) by the length of ``line`` (2, delay), which is updated in place."""
    if line.shape[1] == 0:
        return block
    out = np.empty(block.shape)
    delay_rows(np.ascontiguousarray(block), line, out)
    return out


@kernel("void(float64[:, ::1], float64[:, ::1], float64[:, ::1])")
def delay_rows(block: NDArray[np.float64], line: NDArray[np.float64], out: NDArray[np.float64]) -> None:
    """Delay (rows, frames) by the length of ``line`` (rows, delay)."""
    frames = block.shape[1]
    delay = line.shape[1]
    for row in range(block.shape[0]):
        x = block[row]
        kept = line[row]
        y = out[row]
        if frames >= delay:
            y[:delay] = kept
            y[delay:] = x[: frames - delay]
            kept[:] = x[frames - delay :]
        else:
            y[:] = kept[:frames]
            for i in range(delay - frames):
                kept[i] = kept[i + frames]
            kept[delay - frames :] = x


def remember(block: NDArray[np.float64], line: NDArray[np.float64]) -> None:
    """Update a delay line whose output nobody asks for."""
    delay, frames = line.shape[1], block.shape[1]
    if frames >= delay:
        line[:] = block[:, frames - delay :]
    else:
        line[:] = np.concatenate([line[:, frames:], block], axis=1)
