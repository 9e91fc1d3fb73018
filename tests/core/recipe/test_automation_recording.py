"""What a hand did lands where it was heard, with the fewest points that tell it, and nothing else of a ride changes."""

import numpy as np
import pytest

from tests import naive
from tests.conftest import recipe_of
from tin_kettle.core.dsp.point_reduction import fewest
from tin_kettle.core.errors import RecipeError
from tin_kettle.core.recipe.automation import automation_of
from tin_kettle.core.recipe.automation_curves import ValueCurve
from tin_kettle.core.recipe.automation_recording import Recording, with_takes
from tin_kettle.core.recipe.held_values import HeldValue, with_touches

SECTIONS = [{"id": "v1", "name": "Verse", "start_s": 2.0, "end_s": 5.0}]
ROOM = {"id": "air", "kind": "room", "mix": 0.09}
CUT = {"id": "cut", "kind": "filter", "params": {"low_pass_on": True, "low_pass_hz": 3000.0}}
TONE = {"id": "tone", "kind": "equalizer", "params": {"bands": [{"id": "low", "hz": 100}]}}
OLD = [(1, 0.2, "hold"), ({"section": "v1", "edge": "start", "offset_s": 0}, 0.1, "smooth"), (6, 0.5, "hold")]


def song(*points, target="air", param="mix"):
    named = [dict(zip(("at", "value", "ramp"), point, strict=True)) for point in points]
    rides = [{"target": target, "param": param, "points": named}] if points else []
    return recipe_of(ROOM, CUT, TONE, sections=SECTIONS, automation=rides)


def taken(recipe, moves, end_s, target="air", param="mix", **more):
    passages = [{"moves": moves, "end_s": end_s}]
    return with_takes(
        recipe, [Recording.model_validate({"target": target, "param": param, "passages": passages, **more})]
    )


def course(recipe, param="mix"):
    (moved,) = [one for one in automation_of(recipe).curves if one.param == param]
    return ValueCurve(moved)


@pytest.mark.parametrize("seed", range(6))
def test_thinning_stays_near_and_takes_no_more_than_it_must(seed):
    rng = np.random.default_rng(seed)
    times = np.cumsum(rng.uniform(0.01, 0.09, 60))
    heights = np.cumsum(rng.normal(0, [0.01, 0.1, 1.0][seed % 3], 60))
    kept = fewest(times, heights, 0.1)
    assert kept[0] == 0 and kept[-1] == 59
    assert np.max(np.abs(np.interp(times, times[kept], heights[kept]) - heights)) <= 0.1 + 1e-9
    assert len(kept) - 1 == naive.fewest_lines(times, heights, 0.1)


def test_a_sweep_lands_where_it_was_heard():
    rng = np.random.default_rng(4)
    times = 3.0 + np.cumsum(rng.uniform(0.02, 0.06, 80))
    corners = 3000.0 * np.exp(np.cumsum(rng.normal(0, 0.05, 80)))
    recipe = taken(song(), list(zip(times, corners, strict=True)), 20.0, "cut", "low_pass_hz")
    ridden = course(recipe, "low_pass_hz")
    found = np.array([ridden.at(s) for s in times])
    assert np.max(np.abs(np.log(found / corners))) <= ridden.tolerance + 1e-6
    assert ridden.at(2.9) == 3000.0, "before the hand took it, it is what it was"
    assert ridden.at(30.0) == 3000.0, "and so it is after the take"
    assert len(ridden.moved.points) < 80


def test_moves_apart_are_steps_and_not_lines():
    ridden = course(taken(song(), [(3.0, 0.3), (4.0, 0.6)], 5.0))
    assert [ridden.at(s) for s in (2.99, 3.0, 3.99, 4.0, 4.99, 5.0)] == [0.09, 0.3, 0.3, 0.6, 0.6, 0.09]


def test_what_lies_outside_a_passage_goes_on_to_the_same_value():
    before, after = course(song(*OLD)), course(taken(song(*OLD), [(3.0, 0.9), (3.5, 0.8)], 4.0))
    times = np.concatenate([np.arange(0, 3.0, 0.013), np.arange(4.0, 8.0, 0.013)])
    apart = [abs(before.at(s) - after.at(s)) for s in times]
    assert max(apart) <= 2 * before.tolerance
    assert after.at(3.2) == 0.9 and after.at(3.7) == 0.8


def test_points_that_hang_on_sections_stay_there():
    recipe = taken(song(*OLD), [(5.5, 0.9)], 5.6)
    (ride,) = recipe.automation
    assert [point.at.section for point in ride.points if not isinstance(point.at, float)] == ["v1"]


def test_a_trim_adds_to_what_is_there():
    old = course(song(*OLD))
    recipe = taken(song(*OLD), [(1.5, 0.1), (3.0, 0.2)], 4.0, trim_from=[0.1])
    trimmed = course(recipe)
    for s in (1.6, 2.4, 2.9):
        assert trimmed.at(s) == pytest.approx(old.at(s), abs=2 * old.tolerance)
    for s in (3.05, 3.5, 3.95):
        assert trimmed.at(s) == pytest.approx(old.at(s) + 0.1, abs=2 * old.tolerance)
    assert trimmed.at(4.05) == pytest.approx(old.at(4.05), abs=2 * old.tolerance)


def test_a_trim_never_leaves_the_range():
    trimmed = course(taken(song(*OLD), [(0.5, 0.1), (0.6, 1.0)], 8.0, trim_from=[0.1]))
    assert max(trimmed.at(s) for s in np.arange(0, 9, 0.01)) == 1.0


@pytest.mark.parametrize(("again", "found"), [("writes over", 0.7), ("is ignored", 0.3)])
def test_the_next_turn_of_a_loop_writes_over_or_is_ignored(again, found):
    passages = [{"moves": [[3.0, 0.3]], "end_s": 4.0}, {"moves": [[3.2, 0.7]], "end_s": 4.0}]
    take = Recording.model_validate({"target": "air", "param": "mix", "passages": passages, "again": again})
    ridden = course(with_takes(song(), [take]))
    assert ridden.at(3.1) == 0.3
    assert ridden.at(3.5) == found


def test_switches_and_bands_are_taken_too():
    recipe = taken(song(), [(2.0, False), (2.5, False), (3.0, True)], 9.0, "tone", "on")
    ridden = course(recipe, "on")
    assert [(s, v) for s, v, _ in ridden.moved.points] == [(0.0, True), (1.995, False), (2.995, True), (8.995, True)]
    recipe = taken(song(), [(2.0, 3.0)], 9.0, "tone", "bands.low.gain_db")
    assert course(recipe, "bands.low.gain_db").at(4.0) == 3.0


@pytest.mark.parametrize(
    ("target", "param", "value", "path"),
    [
        ("nobody", "mix", 0.5, r"\$\.takes\[0\]\.target"),
        ("air", "wetness", 0.5, r"\$\.takes\[0\]\.param"),
        ("tone", "phase", "linear", "would move the song in time"),
        ("air", "mix", 1.5, "out of range"),
    ],
)
def test_a_take_of_what_must_not_move_is_refused(target, param, value, path):
    with pytest.raises(RecipeError, match=path):
        taken(song(), [(1.0, value)], 2.0, target, param)


def touched(recipe, value, trim_from=None, target="air", param="mix"):
    return with_touches(recipe, [HeldValue(target=target, param=param, value=value, trim_from=trim_from)])


def test_a_value_in_the_hand_takes_the_place_of_its_ride():
    recipe = touched(song(*OLD), 0.8)
    assert recipe.stage("air").mix == 0.8
    assert recipe.automation == ()
    assert touched(song(), 400.0, target="cut", param="params.low_pass_hz").stage("cut").params.low_pass_hz == 400.0


def test_a_trim_in_the_hand_shifts_the_ride():
    old, shifted = course(song(*OLD)), course(touched(song(*OLD), 0.3, trim_from=0.2))
    assert shifted.at(1.5) == pytest.approx(old.at(1.5) + 0.1)
    assert shifted.at(7.0) == pytest.approx(0.6)


def test_buses_and_branches_are_touched():
    split = {"id": "parts", "kind": "split", "params": {"by": "copies", "branches": [{"id": "a"}, {"id": "b"}]}}
    recipe = with_touches(
        recipe_of(split),
        [HeldValue(target="mix", param="pan", value=0.5), HeldValue(target="b", param="gain_db", value=-3.0)],
    )
    assert recipe.buses[0].pan == 0.5
    assert [branch.gain_db for branch in recipe.stage("parts").branches] == [0.0, -3.0]


def test_what_is_not_allowed_is_refused_in_the_hand_too():
    with pytest.raises(RecipeError, match="out of range"):
        touched(song(), 2.0)
