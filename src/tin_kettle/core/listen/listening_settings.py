"""How the bench is heard: fold, range, place, solo. Nothing of it is ever part of a print."""

from __future__ import annotations

from typing import Literal

from pydantic import Field, ValidationError

from tin_kettle.core.errors import RecipeError
from tin_kettle.core.recipe.model import Recipe
from tin_kettle.core.stages.declarations import Params

Fold = Literal["stereo", "mono", "mono_one", "mid", "side", "left", "right"]
Range = Literal["all", "lows", "band"]
PlaceName = Literal["studio", "phone", "laptop", "radio", "car", "club", "converter", "streaming"]


class Listening(Params):
    """All that may stand between the sound and the ear.

    Args:
        fold: what becomes of the two sides. Mono is (L + R)/2 on both speakers or on one; mid, side, left and right
            are heard on both.
        range: everything, only the lows below ``high_hz``, or a band from ``low_hz`` to ``high_hz``.
        place: where one listens.
        solo, muted: ids of buses, groups and branches.
    """

    fold: Fold = "stereo"
    range: Range = "all"
    low_hz: float = Field(default=20.0, ge=8.0, le=22000.0)
    high_hz: float = Field(default=120.0, ge=16.0, le=24000.0)
    place: PlaceName = "studio"
    solo: tuple[str, ...] = Field(default=(), strict=False)
    muted: tuple[str, ...] = Field(default=(), strict=False)


def parse_listening(document: object) -> Listening:
    """Check a decoded JSON document.

    Raises:
        RecipeError: an unknown name, or a value out of range.
    """
    try:
        return Listening.model_validate(document)
    except ValidationError as refused:
        first = refused.errors(include_url=False)[0]
        path = ".".join(str(step) for step in first["loc"])
        raise RecipeError(f"listening {path}", f"{first['input']!r} is not allowed; {first['msg'].lower()}") from None


def silent_buses(recipe: Recipe, listening: Listening) -> frozenset[str]:
    """Buses, groups and branches that are not heard: the muted, and beside what is soloed all that is not.

    A soloed bus silences all buses but itself and what feeds it; a soloed branch the other branches of its split.
    """
    parents = {bus.id: bus.group for bus in (*recipe.buses, *recipe.groups)}

    def family(lane_id: str) -> list[str]:
        parent = parents[lane_id]
        return [lane_id, *(family(parent) if parent is not None else [])]

    muted, solo = set(listening.muted), set(listening.solo)
    silent = {lane_id for lane_id in parents if set(family(lane_id)) & muted}
    if solo & set(parents):
        silent |= {bus.id for bus in recipe.buses if not set(family(bus.id)) & solo}
    for stage in recipe.stages():
        names = {branch.id for branch in stage.branches}
        silent |= names & muted
        if names & solo:
            silent |= names - solo
    return frozenset(silent)
