"""Linkwitz–Riley crossovers of 24 dB/oct (Linkwitz 1976, *Active crossover networks for noncoincident drivers*).

The low part is a Butterworth low-pass of the second order, twice; the high part is the all-pass of the same poles minus
the low one, so that both sum to that all-pass to the last digit. Several crossovers in a row keep every part in phase:
what has been split off passes the all-passes of the later corners.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping

import numpy as np
from numpy.typing import NDArray

from tin_kettle.core.dsp.svf import Sections, both_rows, svf_response, svf_rows

ROOT2 = 2.0**0.5


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


class Bands:
    """Splits a stereo stream at rising corners.

    Args:
        corners_hz: one to four corners.
    """

    def __init__(self, corners_hz: tuple[float, ...], rate_hz: float) -> None:
        self._lows = [both_rows(crossover_low(hz, rate_hz)) for hz in corners_hz]
        self._turns = [both_rows(all_passes([hz], rate_hz)) for hz in corners_hz]
        count = len(corners_hz)
        self.silence = {
            "low": np.zeros((count, 2, 2, 2)),
            "turn": np.zeros((count, 1, 2, 2)),
            # of each part, the all-passes of all later corners
            "later": np.zeros((count, count, 2, 2)),
        }

    def process(
        self, block: NDArray[np.float64], state: Mapping[str, NDArray[np.float64]]
    ) -> list[NDArray[np.float64]]:
        """The next (2, frames) as one more part than corners, low to high; the block may be overwritten.

        ``state`` is written to; it begins as a copy of ``silence``.
        """
        parts = []
        rest = block
        for index, (low, turn) in enumerate(zip(self._lows, self._turns, strict=True)):
            below = rest.copy()
            svf_rows(below, low, state["low"][index])
            svf_rows(rest, turn, state["turn"][index])
            rest -= below
            for later in range(index + 1, len(self._lows)):
                svf_rows(below, self._turns[later], state["later"][index, later : later + 1])
            parts.append(below)
        parts.append(rest)
        return parts
