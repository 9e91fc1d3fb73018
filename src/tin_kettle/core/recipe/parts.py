"""Parts of a recipe as recipes of their own."""

from __future__ import annotations

from typing import Any

from tin_kettle.core.errors import RecipeError
from tin_kettle.core.recipe.model import Recipe
from tin_kettle.core.recipe.reading import dump_recipe, parse_recipe


def bus_alone(recipe: Recipe, bus_id: str) -> Recipe:
    """One bus or group through its own chain and fader, without its group's and without the master.

    The others are muted and still feed the keys.

    Raises:
        RecipeError: there is no such bus.
    """
    document = dump_recipe(recipe)
    lanes = [*document["buses"], *document["groups"]]
    if bus_id not in [lane["id"] for lane in lanes]:
        known = ", ".join(lane["id"] for lane in lanes)
        raise RecipeError("bus", f"there is no bus '{bus_id}'; there are: {known}")
    feeds = _family(document, bus_id)
    for lane in lanes:
        if lane["id"] == bus_id:
            lane["group"], lane["muted"] = None, False
        elif lane["id"] not in feeds:
            lane["muted"] = True
    document["master"] = []
    return parse_recipe(document)


def _family(document: dict[str, Any], bus_id: str) -> set[str]:
    """Ids of all that feeds a group, itself among them."""
    found = {bus_id}
    for _ in document["groups"]:
        found |= {lane["id"] for lane in (*document["buses"], *document["groups"]) if lane["group"] in found}
    return found


def up_to(recipe: Recipe, stage_id: str, on: bool) -> Recipe:
    """All that the sound passes up to and with a stage, the stage on or off; a bus's stage with its bus alone."""
    document = dump_recipe(recipe)
    for lane in (None, *document["buses"], *document["groups"]):
        chain = document["master"] if lane is None else lane["chain"]
        for index, stage in enumerate(chain):
            if stage["id"] != stage_id:
                continue
            stage["on"] = on
            del chain[index + 1 :]
            return parse_recipe(document) if lane is None else bus_alone(parse_recipe(document), lane["id"])
    raise RecipeError("stage", f"there is no stage '{stage_id}'; choose one of the song's")
