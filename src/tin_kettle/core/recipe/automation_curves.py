"""A ridden value as it goes over the song: read at any time, on the parameter's own scale."""

from __future__ import annotations

import math
from bisect import bisect_right
from collections.abc import Sequence

from tin_kettle.core.recipe.automation import AutomatedParameter, Value, located, targets
from tin_kettle.core.recipe.model import Point, Ramp, Recipe
from tin_kettle.core.stages.stage import Stage

AUDIBLE = {"dB": 0.1, "Hz": math.log(2.0) / 36.0, "ms": 0.02, "s": 0.02, ": 1": 0.01}
"""By unit, on the own scale: differences below which nobody tells two courses apart, with room to spare. The least
audible change of level is 0.5 to 1 dB, of a filter's corner about a twelfth of an octave, of a duration a tenth (Moore,
*An Introduction to the Psychology of Hearing*): a third of that, or less."""
AUDIBLE_SHARE = 0.0025
"""Of its range, for all else."""


class ValueCurve:
    """The value of a ride at any time, and on its own scale: logarithmic for frequencies and times."""

    def __init__(self, moved: AutomatedParameter) -> None:
        self.moved = moved
        self._at = [seconds for seconds, _, _ in moved.points]
        self.log = moved.about["scale"] == "log"

    def height(self, value: Value) -> float:
        """A number on the own scale."""
        return math.log(float(value)) if self.log else float(value)

    def value(self, height: float) -> float:
        """The number at a height, within what is allowed."""
        found = math.exp(height) if self.log else height
        return float(max(self.moved.about["low"], min(self.moved.about["high"], found)))

    @property
    def tolerance(self) -> float:
        """What cannot be heard, on the own scale."""
        about = self.moved.about
        known = AUDIBLE.get(about["unit"]) if self.log or about["unit"] == "dB" else None
        return known or AUDIBLE_SHARE * float(self.height(about["high"]) - self.height(about["low"]))

    def stretch(self, seconds: float, left: bool = False) -> tuple[int, Ramp]:
        """Index of the point whose course holds at a time, −1 before the first, and how it goes on from there.

        Args:
            left: of two courses that meet at that time, the one that ends.
        """
        at = bisect_right(self._at, seconds) - 1
        while left and at >= 0 and self._at[at] == seconds:
            at -= 1
        return at, "hold" if at < 0 or at + 1 == len(self._at) else self.moved.points[at][2]

    def at(self, seconds: float, left: bool = False) -> Value:
        """The value at a time; with ``left`` just before it."""
        i, ramp = self.stretch(seconds, left)
        value = self.moved.points[max(i, 0)][1]
        if ramp == "hold":
            return value
        begin, end = self._at[i], self._at[i + 1]
        t = (seconds - begin) / (end - begin) if end > begin else 1.0
        if ramp == "smooth":
            t = t * t * (3.0 - 2.0 * t)
        low, high = self.height(value), self.height(self.moved.points[i + 1][1])
        return self.value(low + t * (high - low))

    def extremes(self) -> tuple[Value, Value] | None:
        """Lowest and highest of a number's values."""
        if not self.moved.is_number:
            return None
        values = [float(value) for _, value, _ in self.moved.points]
        return min(values), max(values)


def resting(recipe: Recipe, target: str, param: str, path: str) -> AutomatedParameter:
    """A value that is not ridden, as a ride of one point.

    Raises:
        RecipeError: there is no such target or parameter, or it must not move; ``path`` is in the message.
    """
    part = targets(recipe).get(target)
    name, about = located(part, target, param, path)
    assert part is not None
    return AutomatedParameter(target, name, about, ((0.0, _present(part, name), "hold"),))


def _present(part: object, name: str) -> Value:
    found = part.params if isinstance(part, Stage) and not hasattr(part, name) else part
    for step in name.split("."):
        if isinstance(found, tuple):
            found = next(one for i, one in enumerate(found) if str(getattr(one, "id", i)) == step)
        else:
            found = getattr(found, step)
    assert isinstance(found, float | bool | str | int)
    return float(found) if isinstance(found, int) and not isinstance(found, bool) else found


def as_points(course: ValueCurve, points: Sequence[tuple[float, float, Ramp]]) -> list[Point]:
    """Points on the own scale as those of a recipe."""
    return [Point(at=round(s, 4), value=_short(course.value(height)), ramp=ramp) for s, height, ramp in points]


def _short(value: float) -> float:
    """Six figures: what is computed on a logarithmic scale comes back as 66.99999999999997."""
    return float(f"{value:.6g}")
