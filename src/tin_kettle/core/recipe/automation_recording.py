"""A take: what a hand did while the song played, written into the rides with the fewest points that tell it."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from itertools import pairwise
from typing import Annotated, Literal

import numpy as np
from pydantic import Field

from tin_kettle.core.dsp.point_reduction import fewest
from tin_kettle.core.errors import RecipeError
from tin_kettle.core.recipe.automation import Value, allowed, automation_of, seconds_of
from tin_kettle.core.recipe.automation_curves import ValueCurve, as_points
from tin_kettle.core.recipe.held_values import ride_of, with_rides
from tin_kettle.core.recipe.model import ParameterAutomation, Point, Ramp, Recipe
from tin_kettle.core.stages.declarations import Id, Params

GAP_S = 0.3
"""Moves that are heard closer together are one movement, and go straight from one to the next: a loaded server brings
no more than so many to the ear."""
HALF_JUMP_S = 0.005
"""A value that jumps travels for 10 ms from its point on: where a move was heard is the middle of that."""
GRID_S = 0.01
"""So often a course that is not straight is looked at."""
MOST_MOVES = 40000
"""Twenty minutes of a hand that never rests."""
EDGE_S = 1e-4

Moment = Annotated[float, Field(ge=0, le=1e6)]
Move = Annotated[tuple[Moment, float | bool | str], Field(strict=False)]
Line = list[tuple[float, float, Ramp]]


class RecordedPassage(Params):
    """One touch: from where the hand took a value to where it let it go.

    Args:
        moves: (seconds, value) in the order of the hand, each with the middle of the change that was heard.
        end_s: where the ride goes on as before.
    """

    moves: tuple[Move, ...] = Field(min_length=1, max_length=MOST_MOVES, strict=False)
    end_s: Moment


class Recording(Params):
    """All passages of one value.

    Args:
        trim_from: for each passage what was heard of the ride as the hand took it, where the ride goes on, shifted.
        again: what a later turn of a loop does to what an earlier one wrote.
    """

    target: Id
    param: str = Field(min_length=1, max_length=200)
    passages: tuple[RecordedPassage, ...] = Field(min_length=1, max_length=1000, strict=False)
    trim_from: tuple[float, ...] | None = Field(default=None, strict=False)
    again: Literal["writes over", "is ignored"] = "writes over"


@dataclass(frozen=True)
class _Timed:
    """A point of a recipe, and when it is."""

    seconds: float
    point: Point


def with_takes(recipe: Recipe, takes: Sequence[Recording]) -> Recipe:
    """The recipe with what a hand did written into its rides.

    Raises:
        RecipeError: a take names what is not there, or a value that is not allowed.
    """
    for i, take in enumerate(takes):
        recipe = _with_take(recipe, take, f"$.takes[{i}]")
    automation_of(recipe)
    return recipe


def _with_take(recipe: Recipe, take: Recording, path: str) -> Recipe:
    if take.trim_from is not None and len(take.trim_from) != len(take.passages):
        raise RecipeError(f"{path}.trim_from", f"{len(take.trim_from)} values; one for each passage is needed")
    written: list[tuple[float, float]] = []
    for i, passage in enumerate(take.passages):
        begin = max(0.0, passage.moves[0][0] - HALF_JUMP_S)
        end = max(passage.end_s, max(seconds for seconds, _ in passage.moves)) - HALF_JUMP_S
        if take.again == "is ignored" and any(begin < b and a < end for a, b in written):
            continue
        written.append((begin, end))
        recipe = _with_passage(recipe, take, i, begin, end, path)
    return recipe


def _with_passage(recipe: Recipe, take: Recording, index: int, begin: float, end: float, path: str) -> Recipe:
    moved, place = ride_of(recipe, take.target, take.param, path)
    old = ValueCurve(moved)
    points = recipe.automation[place].points if place is not None else (Point(at=0.0, value=moved.points[0][1]),)
    timed = sorted(
        (_Timed(old_at, point) for old_at, point in zip(_times(recipe, place, points), points, strict=True)),
        key=lambda one: one.seconds,
    )
    moves = take.passages[index].moves
    moves = tuple(
        (seconds, allowed(value, moved.about, f"{path}.passages[{index}].moves[{j}]"))
        for j, (seconds, value) in enumerate(moves)
    )
    trims = take.trim_from is not None and place is not None and moved.is_number
    if trims and take.trim_from is not None:
        inside = as_points(old, _trimmed(old, moves, take.trim_from[index], begin, end))
    elif moved.is_number:
        inside = as_points(old, _drawn(old, moves))
    else:
        inside = _switched(moves)
    joined = [*_before(old, timed, begin), *inside, *_after(old, timed, end)]
    return with_rides(recipe, [ParameterAutomation(target=moved.target, param=moved.param, points=tuple(joined))])


def _times(recipe: Recipe, place: int | None, points: Sequence[Point]) -> list[float]:
    """When each point of a ride is, in the order of the document."""
    sections = {section.id: section for section in recipe.sections}
    return [seconds_of(point.at, sections, f"$.automation[{place}]") for point in points]


def _before(old: ValueCurve, timed: Sequence[_Timed], begin: float) -> list[Point]:
    """What stays of a ride before a time, and where it had come to there."""
    kept = [one.point for one in timed if one.seconds < begin]
    if not kept:
        return [Point(at=0.0, value=old.at(0.0))] if begin > 0 else []
    at, ramp = old.stretch(begin, left=True)
    if ramp == "hold":
        return kept
    since = timed[at].seconds
    kept[-1] = kept[-1].model_copy(update={"ramp": "line"})
    return [*kept, *as_points(old, _sampled(old, since, begin)[1:])]


def _after(old: ValueCurve, timed: Sequence[_Timed], end: float) -> list[Point]:
    """Where a ride goes on from after a time, and what stays of it."""
    kept = [one.point for one in timed if one.seconds >= end]
    if kept and timed[len(timed) - len(kept)].seconds <= end + EDGE_S:
        return kept
    at, ramp = old.stretch(end)
    if ramp == "hold":
        return [Point(at=round(end, 4), value=old.at(end)), *kept]
    following = _sampled(old, end, timed[at + 1].seconds)[:-1]
    return [*as_points(old, following), *kept]


def _sampled(old: ValueCurve, begin: float, end: float) -> Line:
    """A course without jumps between two times, by straight lines."""
    times = np.linspace(begin, end, max(2, round((end - begin) / GRID_S) + 1))
    heights = [old.height(old.at(float(s), left=s == end)) for s in times]
    return _thinned(old, list(zip(times.tolist(), heights, strict=True)))


def _thinned(old: ValueCurve, line: Sequence[tuple[float, float]]) -> Line:
    """Straight lines through the fewest of these points; it holds at the last."""
    times, heights = (np.array(row, dtype=np.float64) for row in zip(*line, strict=True))
    kept = fewest(times, heights, old.tolerance)
    if np.ptp(heights) <= old.tolerance:
        kept = kept[:1]
    last = len(kept) - 1
    return [(float(times[k]), float(heights[k]), "hold" if i == last else "line") for i, k in enumerate(kept)]


def _movements(moves: Iterable[tuple[float, Value]]) -> list[list[tuple[float, float]]]:
    """Moves that follow each other closely, together."""
    found: list[list[tuple[float, float]]] = []
    for seconds, value in moves:
        move = (seconds, float(value))
        if found and seconds <= found[-1][-1][0]:
            found[-1][-1] = (found[-1][-1][0], move[1])
        elif found and seconds - found[-1][-1][0] <= GAP_S:
            found[-1].append(move)
        else:
            found.append([move])
    return found


def _drawn(old: ValueCurve, moves: Iterable[tuple[float, Value]]) -> Line:
    found: Line = []
    for movement in _movements(moves):
        line = [(seconds, old.height(value)) for seconds, value in movement]
        # it jumps to where a movement begins
        line[0] = (max(0.0, line[0][0] - HALF_JUMP_S), line[0][1])
        found += _thinned(old, line)
    return found


def _trimmed(old: ValueCurve, moves: Iterable[tuple[float, Value]], heard: float, begin: float, end: float) -> Line:
    """The old course, shifted by as far as the hand had moved at each time."""
    shifts = [(s, old.height(value) - old.height(heard)) for movement in _movements(moves) for s, value in movement]
    steps = [b for a, b in pairwise([s for s, _ in shifts]) if b - a > GAP_S]
    steps += [s for i, (s, _, _) in enumerate(old.moved.points) if i and old.stretch(s, left=True)[1] == "hold"]
    edges = [begin, *sorted({s for s in steps if begin < s < end}), end]
    times, by = (np.array(row) for row in zip(*shifts, strict=True))
    found: Line = []
    for a, b in pairwise(edges):
        moments = np.unique([*np.arange(a, b, GRID_S), *times[(times > a) & (times < b)], b])
        gone = np.searchsorted(times, moments, side="right") - 1
        gone[-1] = max(int(np.searchsorted(times, b, side="left")) - 1, 0)
        line = []
        for s, i in zip(moments.tolist(), gone.tolist(), strict=True):
            moving = i + 1 < times.size and times[i + 1] - times[i] <= GAP_S
            shift = float(np.interp(s, times, by)) if moving else float(by[i])
            # the height of what may be: a ride that would leave the range stays at its end
            height = old.height(old.value(old.height(old.at(s, left=s == b)) + shift))
            line.append((s, height))
        found += _thinned(old, line)
    return found


def _switched(moves: Iterable[tuple[float, Value]]) -> list[Point]:
    found: list[Point] = []
    for seconds, value in moves:
        if not found or found[-1].value != value:
            found.append(Point(at=round(max(0.0, seconds - HALF_JUMP_S), 4), value=value))
    return found
