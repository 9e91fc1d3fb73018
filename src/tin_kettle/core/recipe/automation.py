"""Automation resolved once: which parameter moves, whether it may, when its points are, and what values it reaches."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any, TypeVar

from tin_kettle.core.errors import RecipeError
from tin_kettle.core.recipe.model import Owner, Point, Ramp, Recipe, Section, SectionTime
from tin_kettle.core.recipe.per_recipe_cache import PerRecipeCache
from tin_kettle.core.stages.declarations import Params, describe_params
from tin_kettle.core.stages.stage import Stage

Value = float | bool | str
Target = Stage | Owner
Made = TypeVar("Made", bound=Params)
OF_STAGE = ("on", "channels", "mix")
OF_OWNER = ("gain_db", "pan", "width", "muted")


@dataclass(frozen=True)
class AutomatedParameter:
    """A parameter that moves.

    Args:
        target: id of its stage, branch, bus or group.
        param: its canonical name: ``threshold_db``, ``bands.low.gain_db``, ``crossovers_hz.0``.
        about: its declaration, as :func:`describe_params` tells it.
        points: (seconds, value, ramp to the next), in the order of time.
        by_section: whether all points hang on sections, but for what it begins with.
    """

    target: str
    param: str
    about: Mapping[str, Any]
    points: tuple[tuple[float, Value, Ramp], ...]
    by_section: bool = False

    @property
    def is_number(self) -> bool:
        """Whether it can ramp."""
        return self.about["type"] in ("number", "numbers")

    @property
    def reached(self) -> tuple[Value, ...]:
        """The values that it can have: lowest and highest of a number, each one of a switch or a choice."""
        values = list(dict.fromkeys(value for _, value, _ in self.points))
        if not self.is_number:
            return tuple(values)
        numbers = [float(value) for value in values]
        return (min(numbers),) if min(numbers) == max(numbers) else (min(numbers), max(numbers))


Measure = Callable[[Stage], float]
SEARCHES = 3
"""Rounds over all parameters of a stage: what a switch turns on may only then be worth moving."""


class Automation:
    """All automation of a recipe. Times of sections are resolved to seconds: where one moves, what hangs on it does.

    Args:
        curves: every automated parameter, in the order of the document.
    """

    def __init__(self, curves: tuple[AutomatedParameter, ...]) -> None:
        self.curves = curves
        self._by_target: dict[str, tuple[AutomatedParameter, ...]] = {}
        for moved in curves:
            self._by_target[moved.target] = (*self._by_target.get(moved.target, ()), moved)

    def of(self, target: str) -> tuple[AutomatedParameter, ...]:
        """What moves of a stage, branch, bus or group."""
        return self._by_target.get(target, ())

    def find(self, target: str, param: str) -> AutomatedParameter | None:
        """The curve of a parameter, by its canonical name."""
        return next((moved for moved in self.of(target) if moved.param == param), None)

    def can_be_on(self, stage: Stage) -> bool:
        """Whether a stage is on at any moment."""
        moved = self.find(stage.id, "on")
        return stage.on if moved is None else True in moved.reached

    def farthest(self, stage: Stage, measure: Measure) -> Stage:
        """The setting with the highest measure that automation brings a stage to; on its own where nothing moves.

        Found parameter by parameter: right where each of them moves the measure one way, whatever the others are.
        """
        reached = {moved.param: moved.reached for moved in self.of(stage.id)}
        if not reached:
            return stage
        best = with_values(stage, {param: values[0] for param, values in reached.items()})
        highest = measure(best)
        for _ in range(SEARCHES if len(reached) > 1 else 1):
            before = best
            for param, values in reached.items():
                for value in values:
                    tried = with_values(best, {param: value})
                    found = measure(tried)
                    # a switch that changes nothing yet may let another parameter count
                    if found > highest or (found == highest and value is True):
                        best, highest = tried, found
            if best == before:
                break
        return best

    def fingerprint(self) -> list[Any]:
        """Plain values that are equal where everything moves alike, whatever its points hang on."""
        return [[moved.target, moved.param, [list(point) for point in moved.points]] for moved in self.curves]


def targets(recipe: Recipe) -> dict[str, Target]:
    """All that a ride may name: stages, branches, buses and groups by id."""
    found: dict[str, Target] = dict(recipe.buses_and_groups())
    for stage in recipe.stages():
        found[stage.id] = stage
        found |= {branch.id: branch for branch in stage.branches}
    return found


def _resolve(recipe: Recipe) -> Automation:
    if not recipe.automation:
        return NO_AUTOMATION
    named, sections = targets(recipe), {section.id: section for section in recipe.sections}
    listed: dict[tuple[str, str], AutomatedParameter] = {}
    for i, ride in enumerate(recipe.automation):
        path = f"$.automation[{i}]"
        param, about = located(named.get(ride.target), ride.target, ride.param, path)
        points = [_point(point, about, sections, f"{path}.points[{j}]") for j, point in enumerate(ride.points)]
        if (ride.target, param) in listed:
            raise RecipeError(f"{path}.param", f"'{param}' of '{ride.target}' is ridden twice; put its points together")
        ordered = tuple(sorted(points, key=lambda point: point[0]))
        hangs = all(isinstance(point.at, SectionTime) or point.at == 0.0 for point in ride.points)
        listed[ride.target, param] = AutomatedParameter(ride.target, param, about, ordered, hangs and len(points) > 1)
    return Automation(tuple(listed.values()))


NO_AUTOMATION = Automation(())
automation_of = PerRecipeCache(_resolve)
"""The :class:`Automation` of a recipe.

Raises:
    RecipeError: what it names is not there or must not move, a value is not allowed; the path is in the message.
"""


def located(target: Target | None, name: str, param: str, path: str) -> tuple[str, Mapping[str, Any]]:
    """Canonical name and declaration of what is to move.

    Args:
        target: what ``name`` is the id of, None where nothing is.

    Raises:
        RecipeError: it is not there or must not move; the fields ``target`` and ``param`` of ``path`` are named.
    """
    if target is None:
        raise RecipeError(f"{path}.target", f"there is no stage, branch, bus or group '{name}'; name one")
    path = f"{path}.param"
    param, about = _located(target, param, path)
    if about["delays"]:
        raise RecipeError(path, f"'{param}' would move the song in time; set it for the whole song")
    if about["type"] not in ("number", "numbers", "boolean", "choice") or len(about["choices"]) == 1:
        raise RecipeError(path, f"'{param}' cannot be ridden; numbers, switches and choices can")
    return param, about


def _located(target: Target, name: str, path: str) -> tuple[str, Mapping[str, Any]]:
    own = _described(target, OF_STAGE if isinstance(target, Stage) else OF_OWNER)
    if not isinstance(target, Stage):
        if name in own:
            return name, own[name]
        raise RecipeError(path, f"'{name}' is not known here; there are: {', '.join(own)}")
    if name in own:
        return name, own[name]
    steps = name.removeprefix("params.").split(".")
    known = _described(target.params)
    if len(steps) == 1 and steps[0] in known and known[steps[0]]["type"] != "numbers":
        return steps[0], known[steps[0]]
    values = getattr(target.params, steps[0], ())
    if len(steps) == 2 and steps[0] in known and known[steps[0]]["type"] == "numbers":
        if steps[1].isdecimal() and int(steps[1]) < len(values):
            return ".".join(steps), known[steps[0]]
        raise RecipeError(path, f"'{name}' is not there; {steps[0]}.0 to {steps[0]}.{len(values) - 1} are")
    if len(steps) == 3 and steps[0] in target.declared.items:
        item = _item(values, steps[1])
        if item is None:
            ids = ", ".join(str(getattr(one, "id", i)) for i, one in enumerate(values)) or "none"
            raise RecipeError(path, f"there is no '{steps[1]}' in {steps[0]}; there are: {ids}")
        inner = _described(item)
        if steps[2] in inner and steps[2] != "id":
            return ".".join(steps), inner[steps[2]]
        others = ", ".join(one for one in inner if one != "id")
        raise RecipeError(path, f"'{steps[2]}' is not known here; there are: {others}")
    raise RecipeError(path, f"'{name}' is not known here; there are: {', '.join([*own, *known])}")


def _described(part: Params, names: tuple[str, ...] | None = None) -> dict[str, Mapping[str, Any]]:
    return {one["name"]: one for one in describe_params(type(part)) if names is None or one["name"] in names}


def _item(values: tuple[Params, ...], name: str) -> Params | None:
    for i, one in enumerate(values):
        if str(getattr(one, "id", i)) == name:
            return one
    return None


def _point(
    point: Point, about: Mapping[str, Any], sections: Mapping[str, Section], path: str
) -> tuple[float, Value, Ramp]:
    value = allowed(point.value, about, f"{path}.value")
    if point.ramp != "hold" and about["type"] not in ("number", "numbers"):
        raise RecipeError(f"{path}.ramp", f"'{point.ramp}' is not allowed; only numbers ramp, give hold")
    return seconds_of(point.at, sections, f"{path}.at"), value, point.ramp


def seconds_of(at: float | SectionTime, sections: Mapping[str, Section], path: str) -> float:
    """When a point is.

    Raises:
        RecipeError: it hangs on a section that is not there.
    """
    if not isinstance(at, SectionTime):
        return at
    if at.section not in sections:
        known = ", ".join(sections) or "none yet"
        raise RecipeError(f"{path}.section", f"there is no section '{at.section}'; sections: {known}")
    section = sections[at.section]
    return (section.start_s if at.edge == "start" else section.end_s) + at.offset_s


def allowed(value: Value, about: Mapping[str, Any], path: str) -> Value:
    """A value that a parameter may have.

    Raises:
        RecipeError: it may not.
    """
    kind = about["type"]
    if kind == "boolean":
        if not isinstance(value, bool):
            raise RecipeError(path, f"{value!r} is not allowed; true or false is expected")
        return value
    if kind == "choice":
        for choice in about["choices"]:
            if choice == value and isinstance(choice, bool) == isinstance(value, bool):
                return choice  # type: ignore[no-any-return]
        choices = ", ".join(str(choice) for choice in about["choices"])
        raise RecipeError(path, f"{value!r} is not allowed; allowed: {choices}")
    if isinstance(value, bool) or not isinstance(value, float):
        raise RecipeError(path, f"{value!r} is not allowed; a number is expected")
    low, high = about["low"], about["high"]
    if not low <= value <= high:
        raise RecipeError(path, f"{value:g} is out of range; at least {low:g} and at most {high:g} is allowed")
    return value


def path_in_params(stage: Stage, param: str) -> str:
    """A canonical name as the path in ``params``: ``bands.low.hz`` is ``bands[0].hz``."""
    steps = param.split(".")
    if len(steps) == 1:
        return param
    values = getattr(stage.params, steps[0])
    at = next(i for i, one in enumerate(values) if str(getattr(one, "id", i)) == steps[1])
    return ".".join([f"{steps[0]}[{at}]", *steps[2:]])


def with_values(stage: Stage, values: Mapping[str, Value]) -> Stage:
    """A stage with other values, by their canonical names."""
    own = {name: value for name, value in values.items() if name in OF_STAGE}
    params = stage.params
    for name, value in values.items():
        if name not in OF_STAGE:
            params = _replaced(params, name.split("."), value)
    return stage.model_copy(update={**own, "params": params})


def _replaced(params: Made, steps: list[str], value: Value) -> Made:
    if len(steps) == 1:
        return params.model_copy(update={steps[0]: value})
    listed = list(getattr(params, steps[0]))
    for i, one in enumerate(listed):
        if str(getattr(one, "id", i)) == steps[1]:
            listed[i] = value if len(steps) == 2 else _replaced(one, steps[2:], value)
    return params.model_copy(update={steps[0]: tuple(listed)})
