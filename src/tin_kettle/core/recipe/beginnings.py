"""What a song may begin with: the usual order of stages, which changes nothing until somebody moves something."""

from __future__ import annotations

from tin_kettle.core.recipe.model import Recipe
from tin_kettle.core.recipe.reading import parse_recipe

USUAL = ("filter", "equalizer", "compressor", "limiter")
"""Clean first, so that what follows does not work for what nobody hears; tone before dynamics; the ceiling last."""
NEUTRAL: dict[str, dict[str, object]] = {"compressor": {"threshold_db": 0.0, "ratio": 2.0}}
"""Where a kind's defaults would be heard already."""


def usual_order() -> Recipe:
    """Filters, equalizer, bus compressor and limiter, none of which does anything below full scale yet."""
    master = [{"id": kind, "kind": kind, "params": NEUTRAL.get(kind, {})} for kind in USUAL]
    return parse_recipe({"format": "tin-kettle-recipe", "version": 1, "master": master})
