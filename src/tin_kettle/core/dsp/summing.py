"""Sums of blocks, up to three at a time: a trip to memory costs more than an addition.

A copy is summed into, by kernels that are given it twice, as what they read and as what they write. For all that the
compiler knows the two overlap, so that it adds number by number, which is quicker here: between kernels that go frame
by frame, such as filters, wide units of the processor would need longer to wake up (20 µs) than to add.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from tin_kettle.core.dsp.compile import kernel


@kernel("void(float64[:, ::1], float64[:, ::1], float64[:, ::1])")
def sum_of_two(first: NDArray[np.float64], second: NDArray[np.float64], out: NDArray[np.float64]) -> None:
    """Into ``out``, which may be one of them: (rows, frames)."""
    for row in range(out.shape[0]):
        x = first[row]
        y = second[row]
        total = out[row]
        for i in range(total.shape[0]):
            total[i] = x[i] + y[i]


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
    if len(parts) == 1:
        return parts[0]
    total = parts[0].copy()
    for at in range(1, len(parts), 2):
        if at + 1 < len(parts):
            sum_of_three(total, parts[at], parts[at + 1], total)
        else:
            sum_of_two(total, parts[at], total)
    return total
