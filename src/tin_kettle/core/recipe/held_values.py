"""Values in the hand: heard in place of what a recipe says of them, without changing it."""

from __future__ import annotations

from collections.abc import Sequence

from pydantic import Field

from tin_kettle.core.recipe.automation import AutomatedParameter, Value, allowed, automation_of, targets, with_values
from tin_kettle.core.recipe.automation_curves import ValueCurve, resting
from tin_kettle.core.recipe.model import AnyOwner, ParameterAutomation, Recipe
from tin_kettle.core.stages.declarations import Id, Params
from tin_kettle.core.stages.stage import Stage

MOST_TOUCHES = 32
"""Ten fingers, and the pins that move others along."""


class HeldValue(Params):
    """A value in the hand.

    Args:
        trim_from: what was heard of a ride as the hand took it: the ride goes on, shifted as far as the hand moved.
            None where the hand's value is heard as it is.
    """

    target: Id
    param: str = Field(min_length=1, max_length=200)
    value: float | bool | str
    trim_from: float | None = None


def with_touches(recipe: Recipe, touches: Sequence[HeldValue]) -> Recipe:
    """The recipe as it sounds with these values in the hand.

    Raises:
        RecipeError: a touch names what is not there, or a value that is not allowed.
    """
    for i, touch in enumerate(touches):
        recipe = _touched(recipe, touch, f"$.touches[{i}]")
    return recipe


def ride_of(recipe: Recipe, target: str, param: str, path: str) -> tuple[AutomatedParameter, int | None]:
    """What is ridden there and its place among the rides; a value that rests is a ride of one point, with none."""
    still = resting(recipe, target, param, path)
    for i, moved in enumerate(automation_of(recipe).curves):
        if (moved.target, moved.param) == (still.target, still.param):
            return moved, i
    return still, None


def _touched(recipe: Recipe, touch: HeldValue, path: str) -> Recipe:
    moved, place = ride_of(recipe, touch.target, touch.param, path)
    if touch.trim_from is not None and place is not None and moved.is_number:
        course = ValueCurve(moved)
        by = course.height(touch.value) - course.height(touch.trim_from)
        ride = recipe.automation[place]
        points = tuple(
            point.model_copy(update={"value": course.value(course.height(point.value) + by)}) for point in ride.points
        )
        return with_rides(recipe, [ride.model_copy(update={"points": points})])
    value = allowed(touch.value, moved.about, f"{path}.value")
    left = tuple(ride for i, ride in enumerate(recipe.automation) if i != place)
    return _set(recipe.model_copy(update={"automation": left}), moved, value)


def with_rides(recipe: Recipe, rides: Sequence[ParameterAutomation]) -> Recipe:
    """The recipe with rides in place of those of the same values, or added."""
    canonical = {(moved.target, moved.param): i for i, moved in enumerate(automation_of(recipe).curves)}
    listed = list(recipe.automation)
    for ride in rides:
        place = canonical.get((ride.target, ride.param.removeprefix("params.")))
        if place is None:
            listed.append(ride)
        else:
            listed[place] = ride
    return recipe.model_copy(update={"automation": tuple(listed)})


def _set(recipe: Recipe, moved: AutomatedParameter, value: Value) -> Recipe:
    """The recipe with a value that is not ridden."""
    if isinstance(targets(recipe)[moved.target], Stage):
        return recipe.map_stages(
            lambda stage: with_values(stage, {moved.param: value}) if stage.id == moved.target else stage
        )
    field = {moved.param: value}

    def changed(owner: AnyOwner) -> AnyOwner:
        return owner.model_copy(update=field) if owner.id == moved.target else owner

    inside = recipe.map_stages(
        lambda stage: stage.with_branches(tuple(changed(b) for b in stage.branches)) if stage.branches else stage
    )
    return inside.model_copy(
        update={"buses": tuple(map(changed, inside.buses)), "groups": tuple(map(changed, inside.groups))}
    )
