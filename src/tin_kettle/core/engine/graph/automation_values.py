"""Automation at work: every ridden value as a function of the song frame, without a state."""

from __future__ import annotations

import math
from bisect import bisect_right
from collections.abc import Mapping

import numpy as np
from numpy.typing import NDArray

from tin_kettle.core.dsp.grid_values import HOLD, LINE, SMOOTH, travelled
from tin_kettle.core.dsp.timeline import Span
from tin_kettle.core.engine.crossfade import fade_frames
from tin_kettle.core.recipe.automation import AutomatedParameter, Automation, Value, automation_of, with_values
from tin_kettle.core.recipe.model import Recipe
from tin_kettle.core.recipe.per_recipe_cache import PerRecipeCache
from tin_kettle.core.stages.automated_values import AutomatedValues, grid_frames
from tin_kettle.core.stages.stage import Stage

STEPS = 8
"""What cannot be steered is decided anew at every so many points of the grid: just over the length of a crossfade."""


class AutomationCurve:
    """A ridden value over the song. Times are frames; numbers travel on their own scale."""

    def __init__(self, moved: AutomatedParameter, rate_hz: float) -> None:
        self._values = [value for _, value, _ in moved.points]
        self._numbers = moved.is_number
        self._at = [round(seconds * rate_hz) for seconds, _, _ in moved.points]
        self._ramp = [{"hold": HOLD, "line": LINE, "smooth": SMOOTH}[ramp] for _, _, ramp in moved.points]
        self.log = moved.about["scale"] == "log" and all(_positive(value) for value in self._values)
        self._travel = fade_frames(rate_hz)
        self._ahead = STEPS * grid_frames(rate_hz)
        heights = [0.0 if isinstance(value, str) else float(value) for value in self._values]
        asked = np.log(heights) if self.log else np.array(heights)
        self.points, self.ramps = np.array(self._at, dtype=np.int64), np.array(self._ramp, dtype=np.int64)
        self.heights = np.stack([asked, asked])
        # what each point is reached at: where it is not the point's own height, the rest is travelled after it
        for i in range(1, len(self._at)):
            length = self._at[i] - self._at[i - 1]
            left = max(0.0, 1.0 - length / self._travel) * (self.heights[1, i - 1] - asked[i - 1])
            arrives = asked[i] if self._ramp[i - 1] != HOLD and length > 0 else asked[i - 1]
            self.heights[1, i] = arrives + left

    def coming(self, frame: int) -> Value:
        """What to go to in the next crossfade: the value of now, or where a ramp will be at its end."""
        at = max(bisect_right(self._at, frame) - 1, 0)
        if not self._numbers or at + 1 == len(self._at) or self._ramp[at] == HOLD or frame < self._at[0]:
            return self._values[at]
        t = (min(frame + self._ahead, self._at[at + 1]) - self._at[at]) / (self._at[at + 1] - self._at[at])
        if self._ramp[at] == SMOOTH:
            t = t * t * (3.0 - 2.0 * t)
        low, high = float(self.heights[0, at]), float(self.heights[0, at + 1])
        height = low + t * (high - low)
        return math.exp(height) if self.log else height


def _positive(value: Value) -> bool:
    return not isinstance(value, bool | str) and value > 0.0


class AutomationCurves:
    """Several curves, looked up together."""

    def __init__(self, curves: Mapping[str, AutomationCurve], rate_hz: float) -> None:
        listed = list(curves.values())
        self.rows: Mapping[str, int] = {name: row for row, name in enumerate(curves)}
        self._borders = np.cumsum([0, *(len(curve.points) for curve in listed)])
        self._points = np.concatenate([np.zeros(0, dtype=np.int64), *(curve.points for curve in listed)])
        self._ramps = np.concatenate([np.zeros(0, dtype=np.int64), *(curve.ramps for curve in listed)])
        self._heights = np.concatenate([np.zeros((2, 0)), *(curve.heights for curve in listed)], axis=1)
        self._logs = np.array([curve.log for curve in listed], dtype=np.bool_)
        self._travel = fade_frames(rate_hz)

    def on_grid(self, first: int, step: int, count: int) -> NDArray[np.float64]:
        """(rows, count) the values at ``first``, ``first + step`` …; jumps are travelled in 10 ms, from the point on.

        On and off count as 1 and 0.
        """
        out = np.empty((len(self.rows), count))
        travelled(self._borders, self._points, self._heights, self._ramps, self._logs, self._travel, first, step, out)
        return out


class TargetAutomation:
    """What is ridden of one stage, branch, bus or group."""

    def __init__(self, moved: tuple[AutomatedParameter, ...], rate_hz: float) -> None:
        self.moved = moved
        self._rate_hz = rate_hz
        self.grid = grid_frames(rate_hz)
        self.step = STEPS * self.grid
        curves = {one.param: (one, AutomationCurve(one, rate_hz)) for one in moved}
        self.follows = AutomationCurves(
            {name: curve for name, (one, curve) in curves.items() if _follows(one)}, rate_hz
        )
        self.switched = {name: curve for name, (one, curve) in curves.items() if not _follows(one)}

        # faders take switches as numbers as well
        self.levels = AutomationCurves({name: curve for name, (_, curve) in curves.items()}, rate_hz)

    def values(self, span: Span) -> AutomatedValues:
        """What follows, over a stretch."""
        return AutomatedValues(self.follows, span, self.grid)

    def coming(self, song: int) -> tuple[Value, ...]:
        """What to go over to at a song frame, of all that cannot follow."""
        return tuple(curve.coming(song) for curve in self.switched.values())

    def setting(self, stage: Stage, song: int) -> Stage:
        """A stage with what is to be gone over to at a song frame."""
        if not self.switched:
            return stage
        return with_values(stage, dict(zip(self.switched, self.coming(song), strict=True)))


def _follows(moved: AutomatedParameter) -> bool:
    return bool(moved.about["follows"]) and "." not in moved.param


class AutomationValues:
    """All automation of a recipe at a rate."""

    def __init__(self, automation: Automation, rate_hz: float) -> None:
        self.automation = automation
        targets = {moved.target for moved in automation.curves}
        self._targets = {name: TargetAutomation(automation.of(name), rate_hz) for name in targets}
        self._none = TargetAutomation((), rate_hz)

    def of(self, target: str) -> TargetAutomation:
        """What is ridden of a target."""
        return self._targets.get(target, self._none)

    def switches(self, stage: Stage) -> bool:
        """Whether anything is ridden, in a stage or at any depth in it, that it cannot follow."""
        if self.of(stage.id).switched:
            return True
        return any(self.switches(inner) for branch in stage.branches for inner in branch.chain)

    def setting(self, stage: Stage, song: int) -> Stage:
        """A stage and all in it as they are at a song frame."""
        inside = tuple(
            branch.model_copy(update={"chain": tuple(self.setting(inner, song) for inner in branch.chain)})
            for branch in stage.branches
        )
        now = self.of(stage.id).setting(stage, song)
        return now.with_branches(inside) if inside else now


def _at_rate(recipe: Recipe, rate_hz: float) -> AutomationValues:
    return AutomationValues(automation_of(recipe), rate_hz)


rides_of = PerRecipeCache(_at_rate)
"""The :class:`AutomationValues` of a recipe at a rate in Hz."""
