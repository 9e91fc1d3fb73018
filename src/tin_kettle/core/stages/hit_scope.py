"""The first milliseconds of the last hit, before and after a stage, for a picture."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import numpy as np
from numpy.typing import NDArray

KEPT_S, SHOWN_S, LEAD_S = 0.25, 0.012, 0.002
POINTS = 288


def scope_silence(rate_hz: float) -> dict[str, NDArray[np.float64]]:
    """State for :func:`scope_push`."""
    return {"scope": np.zeros((2, round(KEPT_S * rate_hz)))}


def scope_push(state: Mapping[str, Any], before: NDArray[np.float64], after: NDArray[np.float64]) -> None:
    """Keep the next (2, frames) of the sound before and after, the two sides' mean of each."""
    scope = state["scope"]
    frames = min(before.shape[1], scope.shape[1])
    scope[:, : scope.shape[1] - frames] = scope[:, frames:].copy()
    for row, block in zip(scope, (before, after), strict=True):
        row[-frames:] = block[0, -frames:]
        row[-frames:] += block[1, -frames:]
        row[-frames:] *= 0.5


def scope_curves(state: Mapping[str, Any], rate_hz: float) -> dict[str, NDArray[np.float64]]:
    """``scope_before`` and ``scope_after``: 12 ms about the largest peak of the last quarter of a second."""
    scope = state["scope"]
    lead, shown = round(LEAD_S * rate_hz), round(SHOWN_S * rate_hz)
    last = scope.shape[1] - (shown - lead)
    peak = int(np.argmax(np.abs(scope[0, lead:last]))) + lead
    at = np.linspace(peak - lead, peak - lead + shown - 1, POINTS)
    frames = np.arange(scope.shape[1])
    return {name: np.interp(at, frames, row) for name, row in zip(("scope_before", "scope_after"), scope, strict=True)}
