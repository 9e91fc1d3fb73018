"""Cascades of sections brought to a wanted curve: damped Gauss–Newton (Levenberg 1944) with slopes in closed form.

The unknowns are the logarithms of (g, k, c0, c1, c2), so that all stay positive: stable, and of minimum phase. The
optimizers of a library do no better on a few dozen unknowns, and take a second to load, in which nobody can play.
"""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from tin_kettle.core.dsp.svf import Sections, squared_tangent, svf_magnitude

MOST_STEPS = 60
_DB = 10.0 / math.log(10.0)
"""dB of power for a change of its natural logarithm."""


def cascade_db(sections: Sections, w: NDArray[np.float64]) -> NDArray[np.float64]:
    """Level of a cascade at angular frequencies in radians a sample; (points,) dB, no lower than −120."""
    magnitude = svf_magnitude(sections, squared_tangent(w, 2.0 * math.pi))
    return np.asarray(20.0 * np.log10(np.maximum(magnitude, 1e-6)))


def _levels(sections: Sections, t2: NDArray[np.float64]) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Level in dB, and its slopes by the logarithm of every coefficient, (sections, 5, points)."""
    g, k, c0, c1, c2 = sections.T[:, :, np.newaxis]
    s2 = t2 / (g * g)
    above, below = c2 - c0 * s2, 1.0 - s2
    top, bottom = above**2 + c1 * c1 * s2 + 1e-300, below**2 + k * k * s2
    by_s2 = (c1 * c1 - 2.0 * above * c0) / top - (k * k - 2.0 * below) / bottom
    slopes = np.stack(
        [
            -2.0 * by_s2 * s2,
            -2.0 * k * k * s2 / bottom,
            -2.0 * above * c0 * s2 / top,
            2.0 * c1 * c1 * s2 / top,
            2.0 * above * c2 / top,
        ],
        axis=1,
    )
    levels = 10.0 * np.log10(np.maximum(top / bottom, 1e-12)).sum(axis=0)
    return np.asarray(levels), _DB * slopes


def fitted(
    start: Sections,
    w: NDArray[np.float64],
    wanted_db: NDArray[np.float64],
    weight: NDArray[np.float64],
    near_enough: float,
    keep_dc: bool = False,
) -> Sections:
    """A cascade whose level comes as near to the wanted one as it can, from one to start with.

    Args:
        start: (sections, 5); coefficients that are nought stay so.
        w, wanted_db, weight: (points,) radians a sample, dB, and how much a dB counts there.
        near_enough: weighted dB from which on no more is tried.
        keep_dc: leave the level at DC as it is.
    """
    free = start > 0.0
    if keep_dc:
        free[:, 4] = False
    row, t2, damping = start.copy(), squared_tangent(w, 2.0 * math.pi), 1e-3
    levels, slopes = _levels(row, t2)
    missed = weight * (levels - wanted_db)
    cost = float(missed @ missed)
    for _ in range(MOST_STEPS):
        if np.abs(missed).max() < near_enough:
            break
        jacobian = slopes[free] * weight
        normal = jacobian @ jacobian.T
        step = np.linalg.solve(normal + damping * np.diag(np.diag(normal) + 1e-9), -jacobian @ missed)
        tried = row.copy()
        tried[free] *= np.exp(np.clip(step, -1.0, 1.0))
        levels, tried_slopes = _levels(tried, t2)
        tried_missed = weight * (levels - wanted_db)
        tried_cost = float(tried_missed @ tried_missed)
        if tried_cost < cost:
            gained = 1.0 - tried_cost / cost
            row, slopes, missed, cost, damping = tried, tried_slopes, tried_missed, tried_cost, damping * 0.3
            if gained < 1e-3:
                break
        else:
            damping *= 6.0
            if damping > 1e6:
                break
    return row
