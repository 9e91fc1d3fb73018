"""Levels set by measures, and what pushing a song wins: found by trying."""

import re

import numpy as np
import pytest

from tests.conftest import RATE_HZ, music, recipe_of, tone
from tin_kettle.core.engine.offline import render
from tin_kettle.core.engine.source import ArraySource
from tin_kettle.core.errors import Cancelled, RecipeError
from tin_kettle.core.measure.song_measures import SongMeter
from tin_kettle.core.recipe.extract import eased, from_stage_on
from tin_kettle.core.survey.loudness_gained import won_by
from tin_kettle.core.survey.target_level import aim_at
from tin_kettle.core.survey.trials import with_value

LIMITED = (
    {"id": "hold", "kind": "compressor", "params": {"threshold_db": -30, "ratio": 2}},
    {"id": "t", "kind": "trim"},
    {"id": "lim", "kind": "limiter", "params": {"gain_db": 3}},
)


def run(recipe, sound):
    return np.concatenate(list(render(recipe, {recipe.buses[0].id: ArraySource(sound, RATE_HZ)})), axis=1)


def measured(recipe, sound, start=0, end=None):
    meter = SongMeter(RATE_HZ)
    meter.feed(np.ascontiguousarray(run(recipe, sound)[:, start:end]))
    return meter.finish()


@pytest.mark.parametrize(
    ("stage", "aim", "target"),
    [
        ("t", "integrated_lufs", -16.0),
        ("lim", "integrated_lufs", -12.0),
        ("lim", "max_short_term_lufs", -13.5),
        ("t", "max_momentary_lufs", -20.0),
        ("t", "true_peak_dbtp", -6.0),
    ],
)
def test_the_level_reaches_what_was_aimed_at(stage, aim, target):
    sound, recipe = music(6.0), recipe_of(*LIMITED)
    found = aim_at(recipe, {"mix": ArraySource(sound, RATE_HZ)}, stage, aim, target, 0, sound.shape[1])
    assert found.reached, found.words
    set_so = with_value(recipe, stage, "gain_db", found.after.gain_db)
    assert measured(set_so, sound)[aim] == pytest.approx(target, abs=0.05)
    assert found.before.measures[aim] == pytest.approx(measured(recipe, sound)[aim], abs=0.05)


def test_it_says_what_it_costs_the_limiter():
    sound, recipe = music(6.0), recipe_of(*LIMITED)
    found = aim_at(recipe, {"mix": ArraySource(sound, RATE_HZ)}, "t", "integrated_lufs", -10.0, 0, sound.shape[1])
    assert found.after.work_db["lim"] < found.before.work_db["lim"] - 1.0
    assert "the limiter then reduces by" in found.words
    assert "hold" not in found.after.work_db, "what stands before it does what it did"


def test_a_passage_is_measured_as_it_sounds_within_the_song():
    sound, recipe = music(8.0), recipe_of(*LIMITED)
    start, end = 3 * RATE_HZ, 7 * RATE_HZ
    found = aim_at(recipe, {"mix": ArraySource(sound, RATE_HZ)}, "lim", "integrated_lufs", -12.0, start, end)
    heard = measured(with_value(recipe, "lim", "gain_db", found.after.gain_db), sound, start, end)
    assert heard["integrated_lufs"] == pytest.approx(-12.0, abs=0.05)


def test_what_cannot_be_reached_comes_nearest_and_says_so():
    sound = music(4.0)
    recipe = recipe_of({"id": "lim", "kind": "limiter", "params": {"ceiling_db": -12}})
    found = aim_at(recipe, {"mix": ArraySource(sound, RATE_HZ)}, "lim", "integrated_lufs", -3.0, 0, sound.shape[1])
    assert not found.reached
    assert found.after.gain_db == 24
    assert "comes closest" in found.words


def test_levels_in_buses_and_before_keyed_stages_are_tried_through_the_whole_recipe():
    keyed = {"id": "duck", "kind": "compressor", "params": {"key": ["a"], "threshold_db": -40, "ratio": 3}}
    trimmed = {"id": "a", "chain": [{"id": "own", "kind": "trim"}]}
    recipe = recipe_of({"id": "t", "kind": "trim"}, keyed, buses=[trimmed, {"id": "b"}])
    sources = {name: ArraySource(music(4.0), RATE_HZ) for name in "ab"}
    for stage in ("t", "own"):
        assert aim_at(recipe, sources, stage, "integrated_lufs", -20.0, 0, 4 * RATE_HZ).reached


def test_levels_that_cannot_be_set_are_refused():
    sources, frames = {"mix": ArraySource(music(1.0), RATE_HZ)}, RATE_HZ

    def asked(recipe, stage):
        return aim_at(recipe, sources, stage, "integrated_lufs", -14.0, 0, frames)

    with pytest.raises(RecipeError, match="sets no level"):
        asked(recipe_of(*LIMITED), "hold")
    with pytest.raises(RecipeError, match="there is no stage 'x'"):
        asked(recipe_of(*LIMITED), "x")
    with pytest.raises(RecipeError, match="'t' is off"):
        asked(recipe_of({"id": "t", "kind": "trim", "on": False}), "t")
    ride = {"target": "t", "param": "gain_db", "points": [{"at": 0.0, "value": -3.0}]}
    with pytest.raises(RecipeError, match="is ridden"):
        asked(recipe_of({"id": "t", "kind": "trim"}, automation=[ride]), "t")
    silent = {"mix": ArraySource(np.zeros((2, RATE_HZ)), RATE_HZ)}
    with pytest.raises(RecipeError, match="nothing sounds"):
        aim_at(recipe_of(*LIMITED), silent, "t", "integrated_lufs", -14.0, 0, frames)


def test_a_master_from_a_stage_on_continues_what_came_before():
    recipe, sound = recipe_of(*LIMITED), music(3.0)
    rest = from_stage_on(recipe, "t")
    before = recipe.model_copy(update={"master": recipe.master[:1]})
    np.testing.assert_allclose(run(rest, run(before, sound)), run(recipe, sound), atol=1e-12)
    assert from_stage_on(recipe, "nowhere") is None


def test_every_dB_of_push_wins_less_and_adds_more():
    sound = music(6.0) * 0.7
    found = won_by(recipe_of(*LIMITED), {"mix": ArraySource(sound, RATE_HZ)}, "lim")
    lufs = np.array([step["lufs"] for step in found["steps"]])
    added = np.array([step["added_db"] for step in found["steps"]])
    assert [step["push_db"] for step in found["steps"]] == list(range(9))
    assert np.all(np.diff(lufs) > 0)
    assert np.all(np.diff(lufs) <= 1.001), "no push wins more than itself"
    assert np.all(np.diff(added) > -1.0)
    assert added[-1] > added[0]
    # the fourth step is what printing the song so would give
    made = with_value(recipe_of(*LIMITED), "lim", "gain_db", 4.0)
    assert lufs[4] == pytest.approx(measured(made, sound)["integrated_lufs"], abs=0.02)
    if found["worth_db"] is not None:
        assert lufs[int(found["worth_db"]) + 1] - lufs[int(found["worth_db"])] < 0.7


def test_pushing_what_stays_below_the_ceiling_wins_all_and_adds_nothing():
    found = won_by(recipe_of(*LIMITED[2:]), {"mix": ArraySource(tone(997, -30, 3.0), RATE_HZ)}, "lim")
    assert found["worth_db"] is None
    assert found["steps"][8]["lufs"] - found["steps"][0]["lufs"] == pytest.approx(8.0, abs=0.01)
    assert max(step["added_db"] for step in found["steps"]) < -90
    assert found["words"] == "8 dB more gains 8 LU: every dB still pays"


def test_what_no_one_hears_is_tried_away():
    """A rumble of 15 Hz takes headroom that the limiter then works for; hiss above 18 kHz hardly does."""
    sound = music(6.0) * 0.3
    rumble = 0.4 * np.sin(2 * np.pi * 15 * np.arange(sound.shape[1]) / RATE_HZ)
    plain = won_by(recipe_of(*LIMITED[2:]), {"mix": ArraySource(tone(997, -30, 3.0), RATE_HZ)}, "lim")
    assert plain["ends"] == "at 8 dB more, nothing is gained by cutting below 30 Hz or above 16 kHz"
    found = won_by(recipe_of(*LIMITED[2:]), {"mix": ArraySource(sound + rumble, RATE_HZ)}, "lim")["ends"]
    told = re.match(r"at 8 dB more, a low cut at 25 Hz takes ([\d.]+) dB off its gain reduction", found)
    assert told, found
    assert float(told[1]) > 3
    assert "16 kHz" not in found


def test_pushes_go_on_where_the_stage_stands_further_and_can_be_stopped():
    pushed = recipe_of({"id": "lim", "kind": "limiter", "params": {"gain_db": 13}})
    sources = {"mix": ArraySource(music(2.0), RATE_HZ)}
    assert won_by(pushed, sources, "lim")["steps"][-1]["push_db"] == 16
    with pytest.raises(RecipeError, match="nothing is pushed into a trim"):
        won_by(recipe_of(*LIMITED), sources, "t")

    def enough(share):
        if share > 0.5:
            raise Cancelled("stopped")

    with pytest.raises(Cancelled):
        won_by(pushed, sources, "lim", enough)


def test_an_eased_stage_has_less_to_do_and_the_others_stay():
    recipe = recipe_of(*LIMITED)
    less = eased(recipe, "lim")
    assert less.stage("lim").params.gain_db == 1
    assert less.stage("hold") == recipe.stage("hold")
    assert eased(recipe, "t") == recipe
