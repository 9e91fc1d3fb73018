"""In which order buses and groups are worked on: what feeds a group, and what a key listens to, comes first."""

from __future__ import annotations

from tin_kettle.core.errors import RecipeError
from tin_kettle.core.recipe.model import Recipe


def in_order(recipe: Recipe) -> list[str]:
    """Ids of buses and groups, each after all that it needs; otherwise as in the document.

    Raises:
        RecipeError: a key names what is not there, or keys and groups go in a circle; the path is in the message.
    """
    lanes = recipe.lanes()
    needs: dict[str, list[tuple[str, str]]] = {lane_id: [] for lane_id in lanes}
    for bus in lanes.values():
        if bus.group is not None:
            needs[bus.group].append((bus.id, ""))
    for place in recipe.walk():
        for index, key in enumerate(place.stage.declared.keys(place.stage.params)):
            where = f"{place.path}.params.key[{index}]"
            if key not in lanes:
                raise RecipeError(where, f"there is no bus or group '{key}'; there are: {', '.join(lanes)}")
            if place.lane is not None:
                needs[place.lane.id].append((key, where))
    done: list[str] = []
    for lane_id in lanes:
        _visit(lane_id, needs, done, [])
    return done


def _visit(lane_id: str, needs: dict[str, list[tuple[str, str]]], done: list[str], walked: list[str]) -> None:
    if lane_id in done:
        return
    for needed, where in needs[lane_id]:
        if needed == lane_id or needed in walked:
            before = walked[walked.index(needed) :] if needed in walked else []
            circle = " → ".join([*before, lane_id, needed])
            path = where or f"$ (group '{lane_id}')"
            raise RecipeError(path, f"'{needed}' would wait for itself ({circle}); key from another bus")
        _visit(needed, needs, done, [*walked, lane_id])
    done.append(lane_id)
