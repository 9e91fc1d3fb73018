"""In which order buses and groups are worked on: what feeds a group, and what a key listens to, comes first."""

from __future__ import annotations

from tin_kettle.core.errors import RecipeError
from tin_kettle.core.recipe.model import Recipe


def in_order(recipe: Recipe) -> list[str]:
    """Ids of buses and groups, each after all that it needs; otherwise as in the document.

    Raises:
        RecipeError: a key names what is not there, or keys and groups go in a circle; the path is in the message.
    """
    buses = recipe.buses_and_groups()
    needs: dict[str, list[tuple[str, str]]] = {bus_id: [] for bus_id in buses}
    for bus in buses.values():
        if bus.group is not None:
            needs[bus.group].append((bus.id, ""))
    for location in recipe.walk():
        for index, key in enumerate(location.stage.declared.keys(location.stage.params)):
            where = f"{location.path}.params.key[{index}]"
            if key not in buses:
                raise RecipeError(where, f"there is no bus or group '{key}'; there are: {', '.join(buses)}")
            if location.bus is not None:
                needs[location.bus.id].append((key, where))
    done: list[str] = []
    for bus_id in buses:
        _visit(bus_id, needs, done, [])
    return done


def _visit(bus_id: str, needs: dict[str, list[tuple[str, str]]], done: list[str], walked: list[str]) -> None:
    if bus_id in done:
        return
    for needed, where in needs[bus_id]:
        if needed == bus_id or needed in walked:
            before = walked[walked.index(needed) :] if needed in walked else []
            circle = " → ".join([*before, bus_id, needed])
            path = where or f"$ (group '{bus_id}')"
            raise RecipeError(path, f"'{needed}' would wait for itself ({circle}); key from another bus")
        _visit(needed, needs, done, [*walked, bus_id])
    done.append(bus_id)
