"""Recipes drawn by chance from what the stages declare: whatever is added is tried without a word said here."""

from __future__ import annotations

from typing import Any

import numpy as np

from tin_kettle.core.recipe.held_values import HeldValue, with_touches
from tin_kettle.core.recipe.model import Recipe
from tin_kettle.core.recipe.reading import parse_recipe
from tin_kettle.core.stages import KINDS
from tin_kettle.core.stages.declarations import Kind, describe_params
from tin_kettle.core.stages.split import PARTS

MOST_ITEMS = 3
SPLIT = "split"


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


def draw_params(rng: np.random.Generator, listed: Any) -> dict[str, Any]:
    """A few values, the others at their defaults."""
    chosen = [param for param in listed if param["type"] in ("number", "choice", "boolean") and rng.random() < 0.6]
    return {param["name"]: draw_param(rng, param) for param in chosen}


class Names:
    """Ids that are all different."""

    def __init__(self) -> None:
        self._count = 0

    def new(self, letter: str) -> str:
        self._count += 1
        return f"{letter}{self._count}"


def draw_stage(rng: np.random.Generator, names: Names, depth: int = 0) -> dict[str, Any]:
    """A stage of any kind at any setting; a split at most two deep."""
    kinds = [kind for kind in KINDS.values() if kind.name != SPLIT or depth < 2]
    kind = kinds[rng.integers(len(kinds))]
    return {
        "id": names.new("s"),
        "kind": kind.name,
        "on": bool(rng.random() < 0.9),
        "channels": kind.channels[rng.integers(len(kind.channels))],
        "mix": float(rng.random()) if kind.mixes and rng.random() < 0.5 else 1.0,
        "params": _draw_split(rng, names, depth) if kind.name == SPLIT else draw_plain(rng, kind),
    }


def draw_plain(rng: np.random.Generator, kind: Kind) -> dict[str, Any]:
    """Settings of a stage of this kind, which is no split."""
    params = draw_params(rng, describe_params(kind.params))
    for name, items in kind.items.items():
        # crossovers stay as they are declared, and want one band more
        corners = len(kind.crossovers_hz(kind.params()))
        count = corners + 1 if corners else int(rng.integers(MOST_ITEMS + 1))
        drawn = [draw_params(rng, describe_params(items.params)) for _ in range(count)]
        by_id = "id" in items.params.model_fields
        params[name] = [{"id": f"i{i}", **one} if by_id else one for i, one in enumerate(drawn)]
    return params


def _draw_split(rng: np.random.Generator, names: Names, depth: int) -> dict[str, Any]:
    by = list(PARTS)[rng.integers(len(PARTS))]
    least, most = PARTS[by]
    count = int(rng.integers(least, min(most, 3) + 1))
    branches = [
        {
            "id": names.new("b"),
            "muted": bool(rng.random() < 0.1),
            "gain_db": float(rng.uniform(-6, 6)),
            "pan": float(rng.uniform(-1, 1)),
            "width": float(rng.uniform(0, 2)),
            "chain": [draw_stage(rng, names, depth + 1) for _ in range(int(rng.integers(3)))],
        }
        for _ in range(count)
    ]
    corners = sorted(float(np.exp(rng.uniform(np.log(40), np.log(9000)))) for _ in range(count - 1))
    return {"by": by, "crossovers_hz": corners if by == "bands" else [], "branches": branches}


def draw_document(seed: int) -> dict[str, Any]:
    """One to three stages on the master, perhaps one on the bus."""
    rng, names = np.random.default_rng(seed), Names()
    stages = [draw_stage(rng, names) for _ in range(int(rng.integers(1, 4)))]
    bus: dict[str, Any] = {"id": "mix", "gain_db": float(rng.uniform(-6, 6)), "pan": float(rng.uniform(-1, 1))}
    if rng.random() < 0.5:
        bus["chain"] = [draw_stage(rng, names)]
    return {"format": "tin-kettle-recipe", "version": 1, "buses": [bus], "master": stages}


def draw_recipe(seed: int) -> Recipe:
    """A recipe without automation."""
    return parse_recipe(draw_document(seed))


def draw_ridden(seed: int, seconds: float, most: int = 6) -> Recipe:
    """The same recipe with a few of its values ridden, at any times and by any ramps."""
    rng, document = np.random.default_rng([seed, 1]), draw_document(seed)
    document["sections"] = [{"id": "verse", "start_s": 0.3 * seconds, "end_s": 0.7 * seconds}]
    document["automation"] = []
    choices = _ridable(parse_recipe(document))
    for at in rng.permutation(len(choices))[: int(rng.integers(1, most + 1))]:
        target, name, param = choices[at]
        numbers = param["type"] == "number"
        points = [
            {
                "at": _draw_time(rng, seconds),
                "value": draw_param(rng, param),
                "ramp": ("hold", "line", "smooth")[rng.integers(3)] if numbers else "hold",
            }
            for _ in range(int(rng.integers(1, 5)))
        ]
        document["automation"].append({"target": target, "param": name, "points": points})
    return parse_recipe(document)


def draw_touched(rng: np.random.Generator, recipe: Recipe, target: str | None = None, whole: bool = True) -> Recipe:
    """The recipe with another value of anything, or of a target, that may be touched while it plays.

    Without ``whole`` numbers of choices come as floats.
    """
    choices = _ridable(recipe)
    targets = sorted({target for target, _, _ in choices})
    chosen = target or targets[rng.integers(len(targets))]
    own = [choice for choice in choices if choice[0] == chosen]
    _, name, param = own[rng.integers(len(own))]
    value = draw_param(rng, param)
    if not whole and isinstance(value, int) and not isinstance(value, bool):
        value = float(value)
    return with_touches(recipe, [HeldValue(target=chosen, param=name, value=value)])


def _draw_time(rng: np.random.Generator, seconds: float) -> Any:
    if rng.random() < 0.3:
        edge = ("start", "end")[rng.integers(2)]
        return {"section": "verse", "edge": edge, "offset_s": float(rng.uniform(-0.2, 0.2) * seconds)}
    return float(rng.uniform(0, seconds))


def _ridable(recipe: Recipe) -> list[tuple[str, str, dict[str, Any]]]:
    """(target, parameter, declaration) of all that may move."""
    found: list[tuple[str, str, dict[str, Any]]] = []

    def offer(target: str, prefix: str, listed: Any) -> None:
        for param in listed:
            rides = param["type"] in ("number", "choice", "boolean") and not param["delays"]
            if rides and len(param["choices"]) != 1 and param["name"] not in ("id", "kind"):
                found.append((target, prefix + param["name"], param))

    for lane in recipe.buses_and_groups().values():
        offer(lane.id, "", [p for p in describe_params(type(lane)) if p["name"] in ("gain_db", "pan", "muted")])
    for stage in recipe.stages():
        shared = [p for p in describe_params(type(stage)) if p["name"] in ("on", "mix", "channels")]
        offer(stage.id, "", [p for p in shared if p["name"] != "mix" or stage.declared.mixes])
        offer(stage.id, "", describe_params(type(stage.params)))
        for name, items in stage.declared.items.items():
            for i, item in enumerate(getattr(stage.params, name)):
                offer(stage.id, f"{name}.{getattr(item, 'id', i)}.", describe_params(items.params))
        for branch in stage.branches:
            faders = [p for p in describe_params(type(branch)) if p["name"] not in ("name", "chain")]
            offer(branch.id, "", faders)
    return found
