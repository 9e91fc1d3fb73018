"""Left and right as what they share and what differs."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray


def mid_and_side(block: NDArray[np.float64]) -> NDArray[np.float64]:
    """(2, frames) of left and right into half their sum and half their difference."""
    return np.stack([0.5 * (block[0] + block[1]), 0.5 * (block[0] - block[1])])


def left_and_right(block: NDArray[np.float64]) -> NDArray[np.float64]:
    """The way back, (2, frames)."""
    return np.stack([block[0] + block[1], block[0] - block[1]])
