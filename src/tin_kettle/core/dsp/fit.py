"""Damped least squares for a handful of unknowns."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

STEP = 1e-6
MOST_STEPS = 40
SETTLED = 1e-9


def least_squares(
    error: Callable[[NDArray[np.float64]], NDArray[np.float64]], start: NDArray[np.float64]
) -> NDArray[np.float64]:
    """Unknowns, (count,), whose errors have the least sum of squares near ``start``.

    Levenberg's method (1944), with differences for derivatives. The optimizers of a library do no better on four
    unknowns, and take a second to load, in which nobody can play.
    """
    x, damping = start.astype(np.float64), 1.0
    missed = error(x)
    cost = float(missed @ missed)
    for _ in range(MOST_STEPS):
        slopes = np.stack([(error(x + STEP * unit) - missed) / STEP for unit in np.eye(len(x))], axis=1)
        step = np.linalg.solve(slopes.T @ slopes + damping * np.eye(len(x)), -slopes.T @ missed)
        tried = error(x + step)
        tried_cost = float(tried @ tried)
        if tried_cost < cost:
            gain = cost - tried_cost
            x, missed, cost, damping = x + step, tried, tried_cost, damping * 0.2
            if gain <= SETTLED * cost:
                break
        else:
            damping *= 5.0
            if damping > 1e8:
                break
    return x
