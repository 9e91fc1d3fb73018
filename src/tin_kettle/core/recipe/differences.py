"""What differs between two recipes, as a list of changed values in words."""

from __future__ import annotations

from typing import Any

from pydantic import BaseModel

from tin_kettle.core.recipe.model import Recipe, Stage
from tin_kettle.core.stages.compressor import CompressorParams, hears
from tin_kettle.core.stages.equalizer import Band, EqualizerParams

Difference = dict[str, Any]


FADER = {"gain_db": "Level", "pan": "Pan", "muted": "Mute in the print", "group": "Group"}
STAGE = {"on": "On", "channels": "Treats", "mix": "Mix"}


def differences(before: Recipe, after: Recipe) -> list[Difference]:
    """Every stage that came, went, moved or changed, and every fader: ``stage``, ``what``, ``before``, ``after``."""
    ours, theirs = _stages(before), _stages(after)
    listed: list[Difference] = []
    for stage_id, (place, stage) in theirs.items():
        if stage_id not in ours:
            listed.append(_row(stage, "stage", None, "added"))
            continue
        was_at, was = ours[stage_id]
        listed += _of_stage(was, stage)
        if was_at != place:
            listed.append(_row(stage, "Chain", was_at, place))
    listed += [_row(stage, "stage", "there", None) for name, (_, stage) in ours.items() if name not in theirs]
    buses = {bus.id: bus for bus in (*before.buses, *before.groups)}
    for bus in (*after.buses, *after.groups):
        for name, label in FADER.items():
            had, has = getattr(buses.get(bus.id), name, None), getattr(bus, name)
            if had != has:
                listed.append({"stage": None, "title": bus.name or bus.id, "what": label, "before": had, "after": has})
    return listed


def _stages(recipe: Recipe) -> dict[str, tuple[str, Stage]]:
    """Stage id → the name of its chain, and the stage."""
    lanes = {bus.id: (bus.name or bus.id, bus.chain) for bus in (*recipe.buses, *recipe.groups)}
    chains = [*lanes.values(), ("Master", recipe.master)]
    return {stage.id: (name, stage) for name, chain in chains for stage in chain}


def _row(stage: Stage, what: str, before: Any, after: Any) -> Difference:
    return {"stage": stage.id, "title": stage.declared.title, "what": what, "before": before, "after": after}


def _of_stage(before: Stage, after: Stage) -> list[Difference]:
    rows = [
        _row(after, label, getattr(before, name), getattr(after, name))
        for name, label in STAGE.items()
        if getattr(before, name) != getattr(after, name)
    ]
    if before.kind != after.kind:
        return [*rows, _row(after, "kind", before.declared.title, after.declared.title)]
    was, now = before.params.model_dump(mode="json"), after.params.model_dump(mode="json")
    for name, value in now.items():
        if was[name] == value:
            continue
        if name == "bands":
            rows += _of_bands(before, after)
        elif name == "detector_filters":
            rows.append(_row(after, _label(after.params, name), *(_heard(stage) for stage in (before, after))))
        else:
            rows.append(_row(after, _label(after.params, name), was[name], value))
    return rows


def _heard(stage: Stage) -> str:
    assert isinstance(stage.params, CompressorParams)
    return hears(stage.params) or "everything"


def _label(params: BaseModel, name: str) -> str:
    about = type(params).model_fields[name].json_schema_extra
    return str(about["label"]) if isinstance(about, dict) and "label" in about else name


def _bands(stage: Stage) -> tuple[Band, ...]:
    assert isinstance(stage.params, EqualizerParams)
    return stage.params.bands


def _of_bands(before: Stage, after: Stage) -> list[Difference]:
    """Bands are told apart by their ids and called by their numbers, as on their pins."""
    ours, theirs = ({band.id: band for band in _bands(stage)} for stage in (before, after))
    rows = [_row(after, f"band {n}", "there", None) for n, name in enumerate(ours, 1) if name not in theirs]
    for number, (name, band) in enumerate(theirs.items(), 1):
        if name not in ours:
            rows.append(_row(after, f"band {number}", None, "added"))
            continue
        was = ours[name].model_dump(mode="json")
        rows += [
            _row(after, f"band {number} · {_label(band, key)}", was[key], value)
            for key, value in band.model_dump(mode="json").items()
            if was[key] != value
        ]
    return rows
