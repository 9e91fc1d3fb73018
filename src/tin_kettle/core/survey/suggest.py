"""A tone suggested by a reference: a smooth difference of at most 2 dB in a few broad bands, mid and side apart."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from tin_kettle.core.measure.tonal_map import BANDS_HZ, smoothed_db
from tin_kettle.core.recipe.model import Recipe
from tin_kettle.core.recipe.reading import dump_recipe, parse_recipe
from tin_kettle.core.survey.survey import Survey

MOST_DB, LEAST_DB, SHARE = 2.0, 0.4, 0.5
"""Largest move, smallest worth making, and how much of a difference is taken."""
BANDS = (
    ("low_shelf", 70.0, 0.7),
    ("bell", 160.0, 0.7),
    ("bell", 450.0, 0.7),
    ("bell", 1300.0, 0.7),
    ("bell", 3500.0, 0.7),
    ("high_shelf", 9000.0, 0.7),
)
LOWEST_SIDE_HZ = 150.0
"""Below this the side is not lifted: bass belongs in the middle."""
STAGE = "tone-of-reference"


def tone_difference_db(now: Survey, reference: Survey, start: int, end: int) -> NDArray[np.float64]:
    """How much more of each band the reference has, (2, bands) dB for mid and side, their mids equally loud.

    ``start`` and ``end`` are the reference's passage in frames.
    """
    mine = now.tonal.average_db(0.0, now.seconds)
    theirs = reference.tonal.average_db(start / reference.rate_hz, end / reference.rate_hz)
    difference = smoothed_db(theirs - mine, 1.5)
    audible = (BANDS_HZ > 40.0) & (BANDS_HZ < 14000.0)
    return np.asarray(difference - np.mean(difference[0, audible]))


def suggest_tone(recipe: Recipe, now: Survey, reference: Survey, start: int, end: int) -> Recipe | None:
    """The recipe with an equalizer before its last stage that goes half the way; None where nothing is worth it."""
    difference = tone_difference_db(now, reference, start, end)
    bands: list[dict[str, Any]] = []
    for part, channels in enumerate(("mid", "side")):
        for shape, hz, q in BANDS:
            around = np.abs(np.log2(BANDS_HZ / hz)) < 0.7
            wanted = float(np.clip(SHARE * np.mean(difference[part, around]), -MOST_DB, MOST_DB))
            if abs(wanted) < LEAST_DB or (channels == "side" and hz < LOWEST_SIDE_HZ and wanted > 0):
                continue
            name = f"{channels}-{round(hz)}"
            move = {"id": name, "shape": shape, "hz": hz, "q": q, "gain_db": round(wanted, 1), "channels": channels}
            bands.append(move)
    if not bands:
        return None
    others = [stage for stage in recipe.master if stage.id != STAGE]
    at = len(others) - 1 if others and others[-1].declared.hold else len(others)
    document = dump_recipe(recipe)
    chain = [stage for stage in document["master"] if stage["id"] != STAGE]
    document["master"] = [*chain[:at], {"id": STAGE, "kind": "equalizer", "params": {"bands": bands}}, *chain[at:]]
    return parse_recipe(document)
