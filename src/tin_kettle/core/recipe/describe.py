"""Stages in words and pictures, and the list of what a stage can be told, for whoever draws a bench."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from tin_kettle.core.errors import RecipeError
from tin_kettle.core.recipe.automation import OF_OWNER, OF_STAGE
from tin_kettle.core.recipe.automation_text import rides_in_words
from tin_kettle.core.recipe.model import Bus, Recipe
from tin_kettle.core.stages import KINDS
from tin_kettle.core.stages.declarations import Kind, describe_params
from tin_kettle.core.stages.split import DEEPEST, NAMES, PARTS, SplitParams
from tin_kettle.core.stages.stage import Branch, Stage


def describe_stage(stage: Stage, rate_hz: float, rides: str = "") -> dict[str, Any]:
    """A stage's summary in words, with what is ridden of it, and its picture at a rate."""
    return {"summary": _summary(stage, rides), "picture": stage.declared.picture(stage.params, rate_hz)}


def _summary(stage: Stage, rides: str) -> str:
    summary = stage.declared.summary(stage.params) if stage.on else "off"
    # what moves is told first: a row of the chain has no room for everything
    return " · ".join(filter(None, (rides, summary)))


def chain_in_words(recipe: Recipe) -> list[dict[str, str]]:
    """All that is on, from the buses to the master: ``kind``, ``title``, ``summary``."""
    rides = rides_in_words(recipe)
    return [
        {"kind": stage.kind, "title": stage.declared.title, "summary": _summary(stage, rides.get(stage.id, ""))}
        for stage in recipe.stages()
        if stage.on
    ]


def stage_response(stage: Stage, at_hz: NDArray[np.float64], rate_hz: float) -> dict[str, list[float]]:
    """Level in dB that mid and side have after a stage at the given frequencies: ``hz``, ``mid_db``, ``side_db``.

    Raises:
        RecipeError: the stage has no fixed response, since what it does depends on the music.
    """
    respond = stage.declared.response
    if respond is None:
        linear = ", ".join(name for name, kind in KINDS.items() if kind.response)
        raise RecipeError(f"stage '{stage.id}'", f"a {stage.kind} has no fixed response; these have: {linear}")
    turn = np.array([[0.5, 0.5], [0.5, -0.5]])
    sides, identity = np.eye(2), np.eye(2)[:, :, None]
    matrix = respond(stage.params, at_hz, rate_hz) if stage.on else identity * np.ones(at_hz.size)
    if stage.channels in ("left", "right"):
        keep = np.diag([0.0, 1.0] if stage.channels == "left" else [1.0, 0.0])
        matrix = np.einsum("ij,jkp,kl->ilp", sides - keep, matrix, sides - keep) + keep[:, :, None]
    parts = np.einsum("ij,jkp,kl->ilp", turn, matrix, np.linalg.inv(turn))
    if stage.channels in ("mid", "side"):
        row = 0 if stage.channels == "mid" else 1
        # the component stands in both rows of the processor
        alone = matrix[0, 0] + matrix[0, 1]
        parts = identity * np.ones(at_hz.size, dtype=np.complex128)
        parts[row, row] = alone
    parts = (1.0 - stage.mix) * identity + stage.mix * parts if stage.on else parts
    mid_db, side_db = (20.0 * np.log10(np.maximum(np.abs(parts[i, i]), 1e-10)) for i in range(2))
    return {"hz": at_hz.tolist(), "mid_db": mid_db.round(4).tolist(), "side_db": side_db.round(4).tolist()}


def describe_recipe(recipe: Recipe, rate_hz: float) -> dict[str, dict[str, Any]]:
    """Stage id → summary and picture."""
    rides = rides_in_words(recipe)
    return {stage.id: describe_stage(stage, rate_hz, rides.get(stage.id, "")) for stage in recipe.stages()}


def describe_kinds() -> list[dict[str, Any]]:
    """Every kind of stage with its parameters: label, sentence, unit, range, scale, default, choices."""
    return [
        {
            "kind": kind.name,
            "title": kind.title,
            "says": kind.says,
            "sought": list(kind.sought),
            "channels": list(kind.channels),
            "mixes": kind.mixes,
            "mix": kind.mix,
            "dynamic": kind.dynamic,
            "louder": kind.louder,
            "level": kind.level,
            "pushes": kind.pushes,
            "eased": kind.ease.words if kind.ease else None,
            "params": list(describe_params(kind.params)),
            "columns": _columns(kind),
            "active_when": {name: {"param": param, "is": value} for name, (param, value) in kind.active_when.items()},
            "items": {
                name: {"title": items.title, "params": list(describe_params(items.params))}
                for name, items in kind.items.items()
            },
        }
        for kind in KINDS.values()
    ]


def _columns(kind: Kind) -> list[dict[str, Any]]:
    """The controls by purpose; one column of all where the kind declares none."""
    if kind.columns:
        return [{"title": title, "params": list(names)} for title, names in kind.columns]
    names = [param["name"] for param in describe_params(kind.params)]
    return [{"title": "Controls", "params": [*names, "mix"] if kind.mixes else names}]


def describe_split() -> dict[str, Any]:
    """How many branches each way of dividing may have, what they are called at first, how deep splits may stand."""
    return {
        "parts": {by: {"least": least, "most": most} for by, (least, most) in PARTS.items()},
        "names": {by: {str(count): list(names) for count, names in named.items()} for by, named in NAMES.items()},
        "deepest": DEEPEST,
        "resolution_ms": SplitParams.model_fields["resolution_ms"].default,
    }


def describe_shared() -> dict[str, list[dict[str, Any]]]:
    """What every stage has beside its own parameters, and what buses, groups and branches have."""
    return {
        "stage": [param for param in describe_params(Stage) if param["name"] in OF_STAGE],
        "bus": [param for param in describe_params(Bus) if param["name"] in OF_OWNER],
        "branch": [param for param in describe_params(Branch) if param["name"] in OF_OWNER],
    }
