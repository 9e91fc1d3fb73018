"""Recipes drawn by chance from what the stages declare: whatever is added is tried without a word said here."""

from __future__ import annotations

from typing import Any

import numpy as np

from tin_kettle.core.recipe.describe import describe_items, describe_params
from tin_kettle.core.recipe.model import Recipe
from tin_kettle.core.recipe.reading import parse_recipe
from tin_kettle.core.stages import KINDS

ITEMS = {"bands": ("band", 4), "detector_filters": ("detector_filter", 3)}


def draw_param(rng: np.random.Generator, param: dict[str, Any]) -> Any:
    """A value that the parameter allows."""
    if param["type"] == "boolean":
        return bool(rng.random() < 0.5)
    if param["type"] == "choice":
        choices = param["choices"]
        return choices[rng.integers(len(choices))]
    low, high = param["low"], param["high"]
    if param["scale"] == "log":
        return float(np.exp(rng.uniform(np.log(low), np.log(high))))
    return float(rng.uniform(low, high))


def draw_params(rng: np.random.Generator, listed: list[dict[str, Any]]) -> dict[str, Any]:
    """A few values, the others at their defaults."""
    chosen = [param for param in listed if param["type"] in ("number", "choice", "boolean") and rng.random() < 0.6]
    return {param["name"]: draw_param(rng, param) for param in chosen}


def draw_stage(rng: np.random.Generator, number: int) -> dict[str, Any]:
    """A stage of any kind at any setting."""
    kind = list(KINDS.values())[rng.integers(len(KINDS))]
    params = draw_params(rng, describe_params(kind.params))
    for name, (item, most) in ITEMS.items():
        if name in kind.params.model_fields:
            count = int(rng.integers(most + 1))
            items = [draw_params(rng, describe_items()[item]) for _ in range(count)]
            params[name] = [{"id": f"i{i}", **one} if name == "bands" else one for i, one in enumerate(items)]
    return {
        "id": f"s{number}",
        "kind": kind.name,
        "on": bool(rng.random() < 0.9),
        "channels": kind.channels[rng.integers(len(kind.channels))],
        "mix": float(rng.random()) if kind.mixes and rng.random() < 0.5 else 1.0,
        "params": params,
    }


def draw_recipe(seed: int) -> Recipe:
    """One to four stages on the master, perhaps one on the bus."""
    rng = np.random.default_rng(seed)
    stages = [draw_stage(rng, number) for number in range(int(rng.integers(1, 5)))]
    bus = {"id": "mix", "gain_db": float(rng.uniform(-6, 6)), "pan": float(rng.uniform(-1, 1))}
    if rng.random() < 0.5:
        bus["chain"] = [draw_stage(rng, 9)]
    return parse_recipe({"format": "tin-kettle-recipe", "version": 1, "buses": [bus], "master": stages})
