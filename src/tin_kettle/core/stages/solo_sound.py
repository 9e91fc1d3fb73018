"""One sound brought out of a finished mix: its hits, in its range, in the middle."""

from __future__ import annotations

import math
from typing import Any

from tin_kettle.core.stages.number_text import hz

MIDDLE_DB, SIDE_DB, DRIVE_DB = 5.0, -4.0, 4.0
"""What the range of the hits gains in the middle, gives way at the sides, and how far it is driven."""
LEAST_OCT = 0.2


def bring_out(low_hz: float, high_hz: float) -> dict[str, Any]:
    """A chain, as a recipe, that lifts hits between two frequencies out of a mix.

    A split by hits, tonal and rest; in the hits the range is raised in the middle and eased at the sides, with a little
    saturation after it. All else passes as it is.
    """
    middle_hz = math.sqrt(low_hz * high_hz)
    octaves = max(math.log2(high_hz / low_hz), LEAST_OCT)
    # a bell whose half-gain points lie at the ends of the range
    q = round(min(max(1.0 / (2.0 * math.sinh(0.5 * math.log(2.0) * octaves)), 0.1), 10.0), 3)
    bell = {"shape": "bell", "hz": round(middle_hz, 1), "q": q}
    tone = [
        {"id": "middle", **bell, "gain_db": MIDDLE_DB, "channels": "mid"},
        {"id": "side", **bell, "gain_db": SIDE_DB, "channels": "side"},
    ]
    hits = [
        {"id": "lifted", "kind": "equalizer", "params": {"bands": tone}},
        {"id": "edge", "kind": "saturator", "params": {"curve": "firm", "drive_db": DRIVE_DB}},
    ]
    branches = [
        {"id": "hits", "name": f"Hits around {hz(middle_hz)}", "chain": hits},
        {"id": "tonal", "name": "Tonal"},
        {"id": "rest", "name": "Rest"},
    ]
    split = {"id": "out", "kind": "split", "params": {"by": "percussive", "branches": branches}}
    return {"format": "tin-kettle-recipe", "version": 1, "master": [split]}
