"""Automation is read by the contract: what may move and what not, when its points are, and how values travel."""

import numpy as np
import pytest

from tests.conftest import RATE_HZ, recipe_of
from tin_kettle.core.engine.graph.automation_values import STEPS, AutomationCurve, AutomationCurves, rides_of
from tin_kettle.core.engine.graph.graph import Graph
from tin_kettle.core.errors import RecipeError
from tin_kettle.core.recipe.automation import automation_of, with_values
from tin_kettle.core.recipe.differences import differences
from tin_kettle.core.stages.automated_values import grid_frames

HOLD = {"id": "hold", "kind": "compressor", "params": {"detector_filters": [{"hz": 100}]}}
TONE = {"id": "tone", "kind": "equalizer", "params": {"bands": [{"id": "low", "hz": 100}]}}
SPLIT = {
    "id": "parts",
    "kind": "split",
    "params": {
        "by": "bands",
        "crossovers_hz": [120, 2400],
        "branches": [{"id": "lows"}, {"id": "mids", "chain": [{"id": "in", "kind": "trim"}]}, {"id": "highs"}],
    },
}
SECTIONS = [{"id": "v1", "name": "Verse", "start_s": 2.0, "end_s": 5.0}]


def ridden(target, param, *points):
    named = [dict(zip(("at", "value", "ramp"), point, strict=False)) for point in points]
    ride = {"target": target, "param": param, "points": named}
    return recipe_of(HOLD, TONE, SPLIT, sections=SECTIONS, automation=[ride])


def moved(target, param, *points):
    (one,) = automation_of(ridden(target, param, *points)).curves
    return one


@pytest.mark.parametrize(
    ("target", "param", "value", "canonical"),
    [
        ("hold", "threshold_db", -20.0, "threshold_db"),
        ("hold", "params.threshold_db", -20.0, "threshold_db"),
        ("hold", "mix", 0.5, "mix"),
        ("hold", "on", False, "on"),
        ("hold", "channels", "mid", "channels"),
        ("hold", "detector", "rms", "detector"),
        ("hold", "detector_filters.0.hz", 300.0, "detector_filters.0.hz"),
        ("hold", "detector_filters.0.slope", 24, "detector_filters.0.slope"),
        ("tone", "bands.low.gain_db", 3.0, "bands.low.gain_db"),
        ("tone", "params.bands.low.on", False, "bands.low.on"),
        ("parts", "crossovers_hz.1", 3000.0, "crossovers_hz.1"),
        ("mids", "width", 0.4, "width"),
        ("mids", "muted", True, "muted"),
        ("in", "gain_db", 3.0, "gain_db"),
        ("mix", "pan", -0.5, "pan"),
    ],
)
def test_any_number_switch_or_choice_may_move(target, param, value, canonical):
    found = moved(target, param, (1.0, value))
    assert (found.target, found.param) == (target, canonical)
    assert found.points == ((1.0, value, "hold"),)


@pytest.mark.parametrize(
    ("target", "param", "points", "message"),
    [
        ("hold", "lookahead_ms", [(0, 3.0)], r"automation\[0\]\.param: 'lookahead_ms' would move the song in time"),
        ("tone", "phase", [(0, "linear")], r"param: 'phase' would move the song"),
        ("parts", "by", [(0, "copies")], r"param: 'by' would move the song"),
        ("hold", "key", [(0, "x")], r"param: 'key' cannot be ridden"),
        ("tone", "channels", [(0, "mid")], r"param: 'channels' cannot be ridden"),
        (
            "hold",
            "thresold_db",
            [(0, 3.0)],
            r"param: 'thresold_db' is not known here; there are: on, channels, mix",
        ),
        ("mids", "chain", [(0, 3.0)], r"param: 'chain' is not known here; there are: muted, gain_db, pan, width"),
        ("mix", "width", [(0, 1.0)], r"param: 'width' is not known here; there are: gain_db, pan, muted"),
        ("tone", "bands.high.hz", [(0, 300.0)], r"param: there is no 'high' in bands; there are: low"),
        ("tone", "bands.low.id", [(0, "x")], r"param: 'id' is not known here"),
        ("parts", "crossovers_hz.2", [(0, 300.0)], r"crossovers_hz\.0 to crossovers_hz\.1 are"),
        ("nobody", "mix", [(0, 0.5)], r"target: there is no stage, branch, bus or group 'nobody'"),
        (
            "hold",
            "ratio",
            [(0, 2.0), (1, 0.5)],
            r"points\[1\]\.value: 0\.5 is out of range; at least 1 and at most",
        ),
        ("hold", "ratio", [(0, True)], r"points\[0\]\.value: True is not allowed; a number"),
        ("hold", "on", [(0, 1.0)], r"points\[0\]\.value: 1\.0 is not allowed; true or false"),
        ("hold", "detector", [(0, "loud")], r"'loud' is not allowed; allowed: peak, rms"),
        ("hold", "on", [(0, True, "line")], r"points\[0\]\.ramp: 'line' is not allowed; only numbers ramp"),
        ("hold", "mix", [({"section": "v9"}, 0.5)], r"at\.section: there is no section 'v9'; sections: v1"),
    ],
)
def test_what_must_not_move_is_refused_with_its_path(target, param, points, message):
    with pytest.raises(RecipeError, match=message):
        ridden(target, param, *points)


def test_one_value_is_ridden_once():
    ride = {"target": "hold", "points": [{"at": 0, "value": 1}]}
    twice = [{**ride, "param": "mix"}, {**ride, "param": "mix"}]
    with pytest.raises(RecipeError, match=r"automation\[1\]\.param: 'mix' of 'hold' is ridden twice"):
        recipe_of(HOLD, automation=twice)
    with pytest.raises(RecipeError, match="ridden twice"):
        same = [
            {**ride, "param": name, "points": [{"at": 0, "value": -9}]}
            for name in ("threshold_db", "params.threshold_db")
        ]
        recipe_of(HOLD, automation=same)


def test_frequencies_above_what_the_rate_carries_are_refused_where_they_are_ridden_to():
    recipe = ridden("tone", "bands.low.hz", (0, 100.0), (3, 9000.0))
    rides_of(recipe, 48000)
    with pytest.raises(RecipeError, match=r"automation\[0\]\.points.*9000 Hz is above what 16000 Hz carries"):
        Graph(recipe, 16000)


def test_points_hang_on_sections_and_stand_in_the_order_of_time():
    end = {"section": "v1", "edge": "end", "offset_s": -1.0}
    found = moved("hold", "mix", (4.5, 0.2), (end, 0.4), ({"section": "v1"}, 0.6))
    assert [at for at, _, _ in found.points] == [2.0, 4.0, 4.5]


def curve(param, *points):
    return AutomationCurve(moved("hold", param, *points), RATE_HZ)


def values(found, first, count):
    return AutomationCurves({"x": found}, RATE_HZ).on_grid(first, 1, count)[0]


def at(found, *seconds):
    return [values(found, round(s * RATE_HZ), 1)[0] for s in seconds]


def test_values_hold_outside_and_travel_by_their_ramp_on_their_own_scale():
    line = curve("threshold_db", (1, -40.0, "line"), (3, -20.0, "hold"))
    assert at(line, -1, 0, 1, 2, 2.5, 3, 9) == pytest.approx([-40, -40, -40, -30, -25, -20, -20])
    smooth = curve("threshold_db", (1, -40.0, "smooth"), (3, -20.0))
    assert at(smooth, 1.5, 2, 2.5) == pytest.approx([-40 + 20 * t * t * (3 - 2 * t) for t in (0.25, 0.5, 0.75)])
    log = curve("attack_ms", (0, 1.0, "line"), (2, 100.0))
    assert at(log, 0.5, 1, 1.5) == pytest.approx([10**0.5, 10, 10**1.5])


def test_jumps_are_travelled_in_ten_milliseconds_from_the_point_on():
    jump = curve("threshold_db", (1, -40.0), (2, -20.0), (2, -10.0), (3, -30.0, "line"), (4, -20.0))
    assert at(jump, 1.9999, 2, 2.005, 2.01, 2.5) == pytest.approx([-40, -40, -25, -10, -10])
    assert at(jump, 3, 3.005, 3.01, 4) == pytest.approx([-10, -19.95, -29.9, -20], abs=0.01)
    whole = values(jump, 0, 5 * RATE_HZ)
    assert np.abs(np.diff(whole)).max() < 0.07, "no step anywhere"


def test_points_nearer_than_the_travel_leave_no_step():
    close = curve("threshold_db", (1, -40.0), (1.004, -10.0), (1.006, -50.0), (1.007, 0.0))
    whole = values(close, 0, 2 * RATE_HZ)
    assert np.abs(np.diff(whole)).max() < 0.11
    assert whole[-1] == 0.0


def test_what_cannot_follow_is_told_where_a_ramp_will_be_and_jumps_when_they_are_there():
    ahead = STEPS * grid_frames(RATE_HZ)
    ramp = curve("rms_ms", (1, 10.0, "line"), (3, 100.0), (4, 20.0))
    frame = round(1.5 * RATE_HZ)
    assert ramp.coming(frame) == pytest.approx(values(ramp, frame + ahead, 1)[0])
    assert ramp.coming(4 * RATE_HZ - 1) == pytest.approx(100.0)
    assert ramp.coming(4 * RATE_HZ) == pytest.approx(20.0)
    choice = curve("detector", (1, "rms"), (2, "peak"))
    assert [choice.coming(round(s * RATE_HZ)) for s in (0, 1.99, 2)] == ["rms", "rms", "peak"]


def test_a_stage_takes_other_values_by_their_names():
    recipe = recipe_of(HOLD, TONE, SPLIT)
    tone = with_values(recipe.stage("tone"), {"bands.low.gain_db": 4.0, "on": False})
    assert (tone.params.bands[0].gain_db, tone.on, recipe.stage("tone").on) == (4.0, False, True)
    parts = with_values(recipe.stage("parts"), {"crossovers_hz.0": 90.0})
    assert parts.params.crossovers_hz == (90.0, 2400.0)


def test_rides_are_told_among_the_differences():
    before, after = ridden("mids", "width", (0, 1.0)), ridden("hold", "mix", (0, 0.2, "line"), (2, 0.6))
    told = [(d["title"], d["what"], d["before"], d["after"]) for d in differences(before, after)]
    assert told == [
        ("Bus compressor", "Mix over time", None, "20 to 60 % over 2 points"),
        ("mids", "Width over time", "100 %", None),
    ]
