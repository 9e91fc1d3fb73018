"""Gentle advice on a chain that only the song itself can give."""

from __future__ import annotations

import numpy as np

from tin_kettle.core.measure.tonal_map import BANDS_HZ
from tin_kettle.core.recipe.model import Recipe
from tin_kettle.core.stages.equalizer import EqualizerParams, describe_band, response
from tin_kettle.core.survey.survey import Survey

LEAST_LIFT_DB = 0.5
LOW_CORRELATION = 0.3
"""Below this more than a third of the energy of a range is lost in mono: it comes out almost 2 dB quieter."""


def side_notes(recipe: Recipe, found: Survey) -> dict[str, list[str]]:
    """Stage id → what the song says against lifting its side, where left and right agree little already.

    Args:
        found: the survey of the song through this recipe.
    """
    mid, side = 10.0 ** (found.tonal.average_db(0.0, found.seconds) / 10.0)
    known = 0.49 * found.rate_hz > BANDS_HZ
    notes: dict[str, list[str]] = {}
    for stage in recipe.stages():
        if not stage.on or not isinstance(stage.params, EqualizerParams):
            continue
        for band in stage.params.bands:
            if band.channels != "side" or band.idle:
                continue
            alone = EqualizerParams(bands=(band,))
            lift_db = np.zeros(BANDS_HZ.size)
            (ll, lr), (rl, rr) = response(alone, BANDS_HZ[known], found.rate_hz)
            curve = 0.5 * np.abs(ll - lr - rl + rr)
            lift_db[known] = 20.0 * np.log10(np.maximum(curve, 1e-6))
            if lift_db.max() < LEAST_LIFT_DB:
                continue
            there = lift_db >= 0.5 * lift_db.max()
            lost = float(side[there].sum() / (mid[there].sum() + side[there].sum()))
            correlation = 1.0 - 2.0 * lost
            if correlation < LOW_CORRELATION:
                notes.setdefault(stage.id, []).append(
                    f"{describe_band(band)}: the correlation there is only {correlation:.2f}, "
                    f"{100 * lost:.0f} % of the energy is lost in mono."
                )
    return notes
