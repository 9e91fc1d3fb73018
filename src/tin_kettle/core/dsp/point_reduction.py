"""The fewest points of a line that still tells where all of them lay."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from tin_kettle.core.dsp.compile import kernel


@kernel("void(float64[::1], float64[::1], float64, int64[::1], int64[::1])")
def _fewest(
    times: NDArray[np.float64],
    heights: NDArray[np.float64],
    tolerance: float,
    steps: NDArray[np.int64],
    came_from: NDArray[np.int64],
) -> None:
    """From every point as far as a line stays near all points between: a cone that narrows with each of them."""
    count = times.shape[0]
    for i in range(count - 1):
        low, high = -np.inf, np.inf
        for j in range(i + 1, count):
            over = times[j] - times[i]
            slope = (heights[j] - heights[i]) / over
            if low <= slope <= high and steps[i] + 1 < steps[j]:
                steps[j] = steps[i] + 1
                came_from[j] = i
            low = max(low, slope - tolerance / over)
            high = min(high, slope + tolerance / over)
            if low > high:
                break


def fewest(times: NDArray[np.float64], heights: NDArray[np.float64], tolerance: float) -> NDArray[np.intp]:
    """Indices of the fewest points, the first and the last among them, whose straight lines pass all others.

    Imai and Iri (1988, *Polygonal approximations of a curve*): the shortest way through the graph of all lines that
    are allowed.

    Args:
        times: (points,), rising.
        heights: (points,).
        tolerance: how far a point may lie above or below the line.
    """
    steps = np.full(times.size, times.size, dtype=np.int64)
    steps[0] = 0
    came_from = np.zeros(times.size, dtype=np.int64)
    _fewest(np.ascontiguousarray(times), np.ascontiguousarray(heights), tolerance, steps, came_from)
    kept = [times.size - 1]
    while kept[-1] > 0:
        kept.append(int(came_from[kept[-1]]))
    return np.array(kept[::-1], dtype=np.intp)
