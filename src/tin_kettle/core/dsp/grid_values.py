"""Values that travel from point to point, on a grid of frames and between."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from tin_kettle.core.dsp.compile import kernel
from tin_kettle.core.dsp.decibels import exp2

OCTAVE = 1.0 / math.log(2.0)
HOLD, LINE, SMOOTH = 0, 1, 2
"""How a value travels from a point to the next: not at all, straight, or by 3t² − 2t³."""


@kernel("void(int64[::1], int64[::1], float64[:, ::1], int64[::1], boolean[::1], int64, int64, int64, float64[:, ::1])")
def travelled(
    borders: NDArray[np.int64],
    points: NDArray[np.int64],
    heights: NDArray[np.float64],
    ramps: NDArray[np.int64],
    logs: NDArray[np.bool_],
    travel: int,
    first: int,
    step: int,
    out: NDArray[np.float64],
) -> None:
    """Values of several curves at ``first``, ``first + step`` …, (curves, count).

    Args:
        borders: (curves + 1,), where the points of each curve begin.
        points: frames of all points, rising within a curve.
        heights: (2, points), what each point asks for, and what it is reached at; where that differs, the rest is
            travelled in ``travel`` frames from the point on.
        ramps: of each point, to the next.
        logs: of each curve, whether its heights are logarithms of its values.
    """
    for curve in range(out.shape[0]):
        values = out[curve]
        begin = borders[curve]
        last = borders[curve + 1] - 1
        at = begin - 1
        done = 0
        while done < values.shape[0]:
            while at < last and points[at + 1] <= first + done * step:
                at += 1
            end = values.shape[0]
            if at < last:
                end = min(end, -((first - points[at + 1]) // step))
            stretch = values[done:end]
            height = heights[0, max(at, begin)]
            if at < begin or at == last or ramps[at] == HOLD:
                stretch[:] = height
            else:
                rise = heights[0, at + 1] - height
                share = 1.0 / (points[at + 1] - points[at])
                gone = first + done * step - points[at]
                if ramps[at] == SMOOTH:
                    for i in range(stretch.shape[0]):
                        t = share * (gone + i * step)
                        stretch[i] = height + rise * (t * t * (3.0 - 2.0 * t))
                else:
                    for i in range(stretch.shape[0]):
                        stretch[i] = height + rise * (share * (gone + i * step))
            if at >= begin and heights[1, at] != height:
                rest = heights[1, at] - height
                for i in range(done, end):
                    gone = first + i * step - points[at]
                    if gone >= travel:
                        break
                    values[i] += (1.0 - gone / travel) * rest
            done = end
        if logs[curve]:
            for i in range(values.shape[0]):
                values[i] = exp2(values[i] * OCTAVE)


@kernel("void(float64[::1], int64, int64, float64[::1])")
def between(values: NDArray[np.float64], begun: int, grid: int, out: NDArray[np.float64]) -> None:
    """Straight lines between values every ``grid`` frames, of which the first ``begun`` are over."""
    share = 1.0 / grid
    done = 0
    for step in range(values.shape[0] - 1):
        start = begun if step == 0 else 0
        run = min(grid - start, out.shape[0] - done)
        low = values[step]
        slope = (values[step + 1] - low) * share
        part = out[done : done + run]
        for i in range(part.shape[0]):
            part[i] = low + slope * (start + i)
        done += run
