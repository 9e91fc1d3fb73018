"""A plain delay line of whole samples."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray


def delayed(block: NDArray[np.float64], line: NDArray[np.float64]) -> NDArray[np.float64]:
    """Delay (2, frames) by the length of ``line`` (2, delay), which is updated in place."""
    delay = line.shape[1]
    if delay == 0:
        return block
    joined = np.concatenate([line, block], axis=1)
    line[:] = joined[:, joined.shape[1] - delay :]
    return np.ascontiguousarray(joined[:, : block.shape[1]])
