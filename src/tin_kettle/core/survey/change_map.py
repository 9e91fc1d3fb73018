"""What the mastering changed, in time and frequency, at equal loudness."""

from __future__ import annotations

from typing import Any

from tin_kettle.core.measure.band_map import HOP_S, NOMINAL_HZ, difference_db, rounded
from tin_kettle.core.recipe.model import Recipe
from tin_kettle.core.survey.change_text import change_words
from tin_kettle.core.survey.survey import Survey


def change_of(recipe: Recipe, now: Survey, received: Survey) -> dict[str, Any]:
    """``hop_s``, ``hz`` (31 nominal third octaves), ``db`` for every half second and band, ``words``.

    Levels that go out minus those that came in, minus the difference of whole-song loudness; None where both are below
    −80 dBFS.
    """
    out, came = now.measures["integrated_lufs"], received.measures["integrated_lufs"]
    gain_db = 0.0 if out is None or came is None else out - came
    hops = min(len(now.bands), len(received.bands))
    change_db = difference_db(now.bands[:hops].astype(float), received.bands[:hops].astype(float), gain_db)
    return {
        "hop_s": HOP_S,
        "hz": list(NOMINAL_HZ),
        "db": [rounded(row) for row in change_db],
        "words": change_words(change_db, HOP_S, recipe.sections),
    }
