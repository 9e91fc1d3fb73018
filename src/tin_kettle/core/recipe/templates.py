"""What a song may begin with: the usual order of stages, which changes nothing until somebody moves something."""

from __future__ import annotations

from typing import Any

from tin_kettle.core.errors import RecipeError
from tin_kettle.core.recipe.model import Recipe
from tin_kettle.core.recipe.reading import parse_recipe
from tin_kettle.core.stages import KINDS
from tin_kettle.core.stages.presets import STARTS

USUAL = ("filter", "equalizer", "compressor", "limiter")
"""Clean first, so that what follows does not work for what nobody hears; tone before dynamics; the ceiling last."""
NEUTRAL: dict[str, dict[str, object]] = {"compressor": {"threshold_db": 0.0, "ratio": 2.0}}
"""Where a kind's defaults would be heard already."""


def usual_order(ceiling_db: float = -1.0) -> Recipe:
    """Filters, equalizer, bus compressor and limiter, none of which does anything below the ceiling yet."""
    settings = NEUTRAL | {"limiter": {"ceiling_db": ceiling_db}}
    master = [{"id": kind, "kind": kind, "params": settings.get(kind, {})} for kind in USUAL]
    return parse_recipe({"format": "tin-kettle-recipe", "version": 1, "master": master})


USUAL_PRESET = "usual"


def presets() -> dict[str, str]:
    """Name → what it is for, of all that a recipe may begin with."""
    return {
        USUAL_PRESET: "filters, equalizer, bus compressor and limiter, none of which does anything yet",
        **{start.name: f"{start.title}: {start.says}" for start in STARTS},
    }


def preset_recipe(name: str | None) -> Recipe:
    """A recipe of one bus by a preset's name; without one the usual order, which leaves its source as it is.

    Raises:
        RecipeError: there is no preset of that name.
    """
    if name in (None, USUAL_PRESET):
        # up to full scale: at −1 dB the limiter would already hold peaks
        return usual_order(ceiling_db=0.0)
    start = next((start for start in STARTS if start.name == name), None)
    if start is None:
        raise RecipeError("preset", f"there is no '{name}'; there are: {', '.join(presets())}")
    kind = next(kind.name for kind in KINDS.values() if kind.params is type(start.params))
    stage: dict[str, Any] = {"id": start.name, "kind": kind, "params": start.params.model_dump(mode="json")}
    return parse_recipe({"format": "tin-kettle-recipe", "version": 1, "master": [stage]})
