"""Stages in words and pictures, and the list of what a stage can be told, for whoever draws a bench."""

from __future__ import annotations

from typing import Any

from tin_kettle.core.recipe.model import Recipe, Stage
from tin_kettle.core.stages import KINDS
from tin_kettle.core.stages.compressor import DetectorFilter
from tin_kettle.core.stages.declare import Params


def describe_stage(stage: Stage, rate_hz: float) -> dict[str, Any]:
    """A stage's summary in words and its picture at a rate."""
    kind = stage.declared
    summary = kind.summary(stage.params) if stage.on else "off"
    return {"summary": summary, "picture": kind.picture(stage.params, rate_hz)}


def describe_recipe(recipe: Recipe, rate_hz: float) -> dict[str, dict[str, Any]]:
    """Stage id → summary and picture."""
    return {stage.id: describe_stage(stage, rate_hz) for _, chain in recipe.chains() for stage in chain}


def describe_kinds() -> list[dict[str, Any]]:
    """Every kind of stage with its parameters: label, sentence, unit, range, scale, default, choices."""
    return [
        {
            "kind": kind.name,
            "title": kind.title,
            "says": kind.says,
            "channels": list(kind.channels),
            "mixes": kind.mixes,
            "dynamic": kind.dynamic,
            "params": describe_params(kind.params),
        }
        for kind in KINDS.values()
    ]


def describe_detector_filter() -> list[dict[str, Any]]:
    """The parameters of one detector filter, as :func:`describe_kinds` has a stage's."""
    return describe_params(DetectorFilter)


def describe_params(params: type[Params]) -> list[dict[str, Any]]:
    """A parameter set as plain values, from its JSON Schema."""
    listed = []
    for name, schema in params.model_json_schema()["properties"].items():
        listed.append(
            {
                "name": name,
                "type": "choice" if "enum" in schema else "choice" if "const" in schema else schema["type"],
                "label": schema.get("label", name),
                "says": schema.get("says", ""),
                "unit": schema.get("unit", ""),
                "default": schema.get("default"),
                "low": schema.get("minimum"),
                "high": schema.get("maximum"),
                "scale": schema.get("scale", "linear"),
                "ticks": schema.get("ticks", []),
                "choices": schema.get("enum", [schema["const"]] if "const" in schema else []),
            }
        )
    return listed
