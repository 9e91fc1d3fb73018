"""What differs between two recipes, as a list of changed values in words."""

from __future__ import annotations

from typing import Any

from tin_kettle.core.recipe.model import Recipe, Stage

Difference = dict[str, Any]


def differences(before: Recipe, after: Recipe) -> list[Difference]:
    """Every stage that came, went, moved or changed, and every fader: ``stage``, ``what``, ``before``, ``after``."""
    ours, theirs = _stages(before), _stages(after)
    listed: list[Difference] = []
    for stage_id, (path, stage) in theirs.items():
        if stage_id not in ours:
            listed.append(_row(stage, "stage", None, "added"))
        else:
            listed += _of_stage(ours[stage_id][1], stage)
            if ours[stage_id][0] != path:
                listed.append(_row(stage, "place", ours[stage_id][0], path))
    listed += [_row(stage, "stage", "there", None) for name, (_, stage) in ours.items() if name not in theirs]
    buses = {bus.id: bus for bus in (*before.buses, *before.groups)}
    for bus in (*after.buses, *after.groups):
        for name in ("gain_db", "pan", "muted", "group"):
            was, now = getattr(buses.get(bus.id), name, None), getattr(bus, name)
            if was != now:
                listed.append({"stage": None, "title": bus.name or bus.id, "what": name, "before": was, "after": now})
    return listed


def _stages(recipe: Recipe) -> dict[str, tuple[str, Stage]]:
    return {stage.id: (path, stage) for path, chain in recipe.chains() for stage in chain}


def _row(stage: Stage, what: str, before: Any, after: Any) -> Difference:
    return {"stage": stage.id, "title": stage.declared.title, "what": what, "before": before, "after": after}


def _of_stage(before: Stage, after: Stage) -> list[Difference]:
    rows = [
        _row(after, name, getattr(before, name), getattr(after, name))
        for name in ("on", "channels", "mix")
        if getattr(before, name) != getattr(after, name)
    ]
    if before.kind != after.kind:
        return [*rows, _row(after, "kind", before.declared.title, after.declared.title)]
    was, now = before.params.model_dump(mode="json"), after.params.model_dump(mode="json")
    for name, field in type(after.params).model_fields.items():
        if was[name] == now[name]:
            continue
        about = field.json_schema_extra
        label = str(about["label"]) if isinstance(about, dict) and "label" in about else name
        if isinstance(now[name], list) and now[name] and isinstance(now[name][0], dict) and "id" in now[name][0]:
            rows += _of_items(after, label, was[name], now[name])
        else:
            rows.append(_row(after, label, was[name], now[name]))
    return rows


def _of_items(stage: Stage, label: str, before: list[dict[str, Any]], after: list[dict[str, Any]]) -> list[Difference]:
    ours, theirs = ({item["id"]: item for item in items} for items in (before, after))
    rows = [_row(stage, f"{label} {name}", "there", None) for name in ours if name not in theirs]
    for name, item in theirs.items():
        if name not in ours:
            rows.append(_row(stage, f"{label} {name}", None, "added"))
            continue
        rows += [
            _row(stage, f"{label} {name} {key}", ours[name][key], value)
            for key, value in item.items()
            if ours[name][key] != value
        ]
    return rows
