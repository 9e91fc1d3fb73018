"""Linkwitz–Riley crossovers of 24 dB/oct (Linkwitz 1976, *Active crossover networks for noncoincident drivers*).

The low part is a Butterworth low-pass of the second order, twice; the high part is the all-pass of the same poles minus
the low one, so that both sum to that all-pass to the last digit. Several crossovers in a row keep every part in phase:
what has been split off passes the all-passes of the later corners.
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping

import numpy as np
from numpy.typing import NDArray

from tin_kettle.core.dsp.compile import kernel
from tin_kettle.core.dsp.svf import FLUSH, Sections, both_rows, svf_response, svf_rows

ROOT2 = 2.0**0.5
_STRIDE = 128


def crossover_low(hz: float, rate_hz: float) -> Sections:
    """Low part of a crossover, (2, 5) for :func:`svf_cascade`; bilinear, 6 dB down at ``hz``."""
    g = float(np.tan(np.pi * hz / rate_hz))
    return np.array([(g, ROOT2, 0.0, 0.0, 1.0)] * 2)


def all_passes(corners_hz: Iterable[float], rate_hz: float) -> Sections:
    """What is left of a signal after crossovers at these corners, all parts summed: (corners, 5)."""
    rows = [(float(np.tan(np.pi * hz / rate_hz)), ROOT2, 1.0, -ROOT2, 1.0) for hz in corners_hz]
    return np.array(rows).reshape(len(rows), 5)


def band_responses(corners_hz: tuple[float, ...], at_hz: NDArray[np.float64], rate_hz: float) -> NDArray[np.complex128]:
    """What becomes of a sound in every band, (corners + 1, points); they sum to :func:`all_passes`."""
    rest = np.ones(at_hz.size, dtype=np.complex128)
    rows = []
    for index, corner in enumerate(corners_hz):
        low = svf_response(crossover_low(corner, rate_hz), at_hz, rate_hz)
        later = svf_response(all_passes(corners_hz[index + 1 :], rate_hz), at_hz, rate_hz)
        rows.append(rest * low * later)
        rest = rest * (svf_response(all_passes([corner], rate_hz), at_hz, rate_hz) - low)
    return np.stack([*rows, rest])


@kernel("void(float64[:, ::1], float64, float64[:, :, ::1], float64[:, ::1], float64[:, ::1])")
def parted(
    block: NDArray[np.float64],
    g: float,
    state: NDArray[np.float64],
    low: NDArray[np.float64],
    high: NDArray[np.float64],
) -> None:
    """One crossover: the filter whose low-pass comes first gives the all-pass of its poles too.

    Args:
        block: (2, frames).
        g: tan(π·hz/rate).
        state: (2, 2, 2), per section and row the two integrators.
        low, high: (2, frames) out; ``high`` may be the block itself.
    """
    a1 = 1.0 / (1.0 + g * (g + ROOT2))
    a2 = g * a1
    a3 = g * a2
    # as in the cascades of second-order sections: x, and the two integrators, to their next values
    keep1, cross, keep2, in2 = 2.0 * a1 - 1.0, 2.0 * a2, 1.0 - 2.0 * a3, 2.0 * a3
    held = 1.0 - a3
    turn = 2.0 * ROOT2 * a2
    straight, back = 1.0 - turn, 2.0 * ROOT2 * a1
    for row in range(2):
        l1, l2, m1, m2 = state[0, row, 0], state[0, row, 1], state[1, row, 0], state[1, row, 1]
        for start in range(0, block.shape[1], _STRIDE):
            x = block[row, start : start + _STRIDE]
            y = low[row, start : start + _STRIDE]
            z = high[row, start : start + _STRIDE]
            for i in range(x.shape[0]):
                u = x[i]
                once = (a3 * u + a2 * l1) + held * l2
                turned = (straight * u - back * l1) + turn * l2
                l = (cross * u + keep1 * l1) - cross * l2
                l2 = (in2 * u + cross * l1) + keep2 * l2
                l1 = l
                twice = (a3 * once + a2 * m1) + held * m2
                m = (cross * once + keep1 * m1) - cross * m2
                m2 = (in2 * once + cross * m1) + keep2 * m2
                m1 = m
                y[i] = twice
                z[i] = turned - twice
            if abs(l1) + abs(l2) + abs(m1) + abs(m2) < FLUSH:
                l1 = 0.0
                l2 = 0.0
                m1 = 0.0
                m2 = 0.0
        state[0, row, 0], state[0, row, 1], state[1, row, 0], state[1, row, 1] = l1, l2, m1, m2


class Bands:
    """Splits a stereo stream at rising corners.

    Args:
        corners_hz: one to four corners.
    """

    def __init__(self, corners_hz: tuple[float, ...], rate_hz: float) -> None:
        self._g = [math.tan(math.pi * hz / rate_hz) for hz in corners_hz]
        # what has been split off is turned like what goes on
        self._later = [both_rows(all_passes(corners_hz[i + 1 :], rate_hz)) for i in range(len(corners_hz))]
        count = len(corners_hz)
        self.silence = {"low": np.zeros((count, 2, 2, 2)), "later": np.zeros((count, count, 2, 2))}

    def process(
        self, block: NDArray[np.float64], state: Mapping[str, NDArray[np.float64]]
    ) -> list[NDArray[np.float64]]:
        """The next (2, frames) as one more part than corners, low to high; the block stays as it is.

        ``state`` is written to; it begins as a copy of ``silence``.
        """
        parts = []
        high = np.empty_like(block)
        for index, g in enumerate(self._g):
            low = np.empty_like(block)
            parted(high if index else block, g, state["low"][index], low, high)
            if index + 1 < len(self._g):
                svf_rows(low, self._later[index], state["later"][index, index + 1 :])
            parts.append(low)
        parts.append(high)
        return parts
