"""Sums of blocks, three at a time: a trip to memory costs more than an addition."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from tin_kettle.core.dsp.compile import kernel


@kernel("void(float64[:, ::1], float64[:, ::1], float64[:, ::1], float64[:, ::1])")
def sum_of_three(
    first: NDArray[np.float64], second: NDArray[np.float64], third: NDArray[np.float64], out: NDArray[np.float64]
) -> None:
    """Into ``out``, which may be one of them: (rows, frames), added in this order."""
    for row in range(out.shape[0]):
        x = first[row]
        y = second[row]
        z = third[row]
        total = out[row]
        for i in range(total.shape[0]):
            total[i] = x[i] + y[i] + z[i]


def summed(parts: Sequence[NDArray[np.float64]]) -> NDArray[np.float64]:
    """The sum of one or more (rows, frames), added in their order; of one it is the same array, else a new one."""
    total = parts[0]
    for at in range(1, len(parts), 2):
        # only the first sum is an array of its own: what is summed stays as it is
        out = np.empty_like(total) if at == 1 else total
        if at + 1 < len(parts):
            sum_of_three(total, parts[at], parts[at + 1], out)
        else:
            np.add(total, parts[at], out=out)
        total = out
    return total
