"""What differs between two recipes, as a list of changed values in words."""

from __future__ import annotations

from typing import Any

from pydantic import BaseModel

from tin_kettle.core.recipe.automation import AutomatedParameter, automation_of
from tin_kettle.core.recipe.automation_text import ride_words
from tin_kettle.core.recipe.model import Owner, Recipe
from tin_kettle.core.recipe.names import names
from tin_kettle.core.stages.stage import Stage

Difference = dict[str, Any]


FADER = {"gain_db": "Level", "pan": "Pan", "width": "Width", "muted": "Mute in the print", "group": "Group"}
STAGE = {"on": "On", "channels": "Channels", "mix": "Mix"}


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
    faders = _faders(before)
    for owner_id, (name, owner) in _faders(after).items():
        for field, label in FADER.items():
            had, has = (getattr(one, field, None) for one in (faders.get(owner_id, ("", None))[1], owner))
            if had != has:
                listed.append({"stage": None, "title": name, "what": label, "before": had, "after": has})
    return listed + _rides(before, after)


def _faders(recipe: Recipe) -> dict[str, tuple[str, Owner]]:
    """Id of a bus, group or branch → what it is called, and itself."""
    owners: list[Owner] = [*recipe.buses_and_groups().values()]
    owners += [branch for stage in recipe.stages() for branch in stage.branches]
    return {owner.id: (owner.name or owner.id, owner) for owner in owners}


def _stages(recipe: Recipe) -> dict[str, tuple[str, Stage]]:
    """Stage id → the name of its chain, and the stage."""
    return {
        place.stage.id: ((place.owner.name or place.owner.id) if place.owner else "Master", place.stage)
        for place in recipe.walk()
    }


def _rides(before: Recipe, after: Recipe) -> list[Difference]:
    """Values that move, and how they moved."""
    ours, theirs = (_told(recipe) for recipe in (before, after))
    called = names(before) | names(after)
    listed = []
    for key in [*theirs, *(key for key in ours if key not in theirs)]:
        (was, had), (now, has) = ours.get(key, (None, None)), theirs.get(key, (None, None))
        if was == now:
            continue
        ride = now or was
        assert ride is not None
        stage = None if after.stage(ride.target) is None else ride.target
        # the same words for other points would say that nothing changed
        has = f"{has}, otherwise" if has == had else has
        what = f"{ride.about['label']} over time"
        listed.append({"stage": stage, "title": called[ride.target], "what": what, "before": had, "after": has})
    return listed


def _told(recipe: Recipe) -> dict[tuple[str, str], tuple[AutomatedParameter, str]]:
    """What is ridden → its ride, and that in words."""
    return {
        (moved.target, moved.param): (moved, ride_words(moved, recipe.sections))
        for moved in automation_of(recipe).curves
    }


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
        if name in after.declared.items:
            rows += _of_items(before, after, name)
        elif name == "branches":
            rows += _of_branches(before, after)
        else:
            rows.append(_row(after, _label(after.params, name), was[name], value))
    return rows


def _label(params: BaseModel, name: str) -> str:
    about = type(params).model_fields[name].json_schema_extra
    return str(about["label"]) if isinstance(about, dict) and "label" in about else name


def _of_branches(before: Stage, after: Stage) -> list[Difference]:
    """Branches that came and went; what is in them is told by itself."""
    ours, theirs = ({branch.id: branch for branch in stage.branches} for stage in (before, after))
    rows = [_row(after, f"branch {b.name or name}", "there", None) for name, b in ours.items() if name not in theirs]
    return rows + [_row(after, f"branch {b.name or n}", None, "added") for n, b in theirs.items() if n not in ours]


def _of_items(before: Stage, after: Stage, name: str) -> list[Difference]:
    """Items with ids are told apart by them and called by their numbers, as on their pins; others by their words."""
    items = after.declared.items[name]
    had, has = getattr(before.params, name), getattr(after.params, name)
    if "id" not in items.params.model_fields:
        told = (", ".join(filter(None, map(items.words, listed))) or items.none for listed in (had, has))
        return [_row(after, _label(after.params, name), *told)]
    title = items.title.lower()
    ours, theirs = ({item.id: item for item in listed} for listed in (had, has))
    rows = [_row(after, f"{title} {n}", "there", None) for n, item_id in enumerate(ours, 1) if item_id not in theirs]
    for number, (item_id, item) in enumerate(theirs.items(), 1):
        if item_id not in ours:
            rows.append(_row(after, f"{title} {number}", None, "added"))
            continue
        was = ours[item_id].model_dump(mode="json")
        rows += [
            _row(after, f"{title} {number} · {_label(item, key)}", was[key], value)
            for key, value in item.model_dump(mode="json").items()
            if was[key] != value
        ]
    return rows
