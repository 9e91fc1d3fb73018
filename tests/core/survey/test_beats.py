"""Tempo and bars are told where a song keeps them, and nowhere else; rides are held against them."""

import numpy as np
import pytest

from tests.conftest import RATE_HZ, recipe_of, tone
from tin_kettle.core.engine.source import ArraySource
from tin_kettle.core.survey.beats import _link, find_grid
from tin_kettle.core.survey.rules.automation import rides_jump
from tin_kettle.core.survey.survey import survey_song

SECONDS = 20


def surveyed(samples):
    return survey_song(recipe_of(), {"mix": ArraySource(samples, RATE_HZ)})


def strokes(bpm, first_s, bar, loose_s=0.0):
    """A low stroke on each bar, higher ones between, over some noise."""
    rng = np.random.default_rng(2)
    out = 0.001 * rng.normal(size=(2, SECONDS * RATE_HZ))
    at = np.arange(4000)
    for n, second in enumerate(np.arange(first_s, SECONDS - 0.2, 60.0 / bpm)):
        begin = round((second + rng.normal(0, loose_s)) * RATE_HZ)
        tone_hz = 900 if n % bar else 60
        out[:, begin : begin + 4000] += 0.4 * np.exp(-at / 900) * np.sin(2 * np.pi * tone_hz * at / RATE_HZ)
    return surveyed(out)


@pytest.mark.parametrize(("bpm", "first_s", "bar"), [(92.0, 0.37, 4), (140.0, 1.234, 3), (71.0, 2.0, 4)])
def test_a_steady_tempo_is_found_with_its_bars(bpm, first_s, bar):
    grid = find_grid(strokes(bpm, first_s, bar))
    assert grid is not None
    assert grid.bpm == pytest.approx(bpm, abs=0.2)
    assert grid.bar == bar
    assert grid.first_s == pytest.approx(first_s % (bar * 60.0 / bpm), abs=0.02)


def test_a_free_song_and_noise_and_silence_have_none():
    assert find_grid(strokes(120.0, 0.1, 4, loose_s=0.15)) is None
    assert find_grid(surveyed(0.1 * np.random.default_rng(0).normal(size=(2, 10 * RATE_HZ)))) is None
    assert find_grid(surveyed(np.zeros((2, 10 * RATE_HZ)))) is None
    assert find_grid(surveyed(np.zeros((2, 100)))) is None


def ridden(*points):
    named = [dict(zip(("at", "value", "ramp"), point, strict=True)) for point in points]
    ride = {"target": "level", "param": "gain_db", "points": named}
    return recipe_of({"id": "level", "kind": "trim"}, automation=[ride])


def test_the_waves_of_a_tone_are_no_beats():
    for hz in (100, 440):
        assert find_grid(survey_song(recipe_of(), {"mix": ArraySource(tone(hz, -20, 20), RATE_HZ)})) is None


def test_a_ride_that_jumps_is_found_with_its_place():
    song = strokes(120.0, 0.1, 4)
    assert not list(rides_jump(song, ridden((0, 0, "hold"), (5, -5.9, "hold"))))
    (found,) = rides_jump(song, ridden((0, 0, "hold"), (5, -7, "hold")))
    assert (found.value, round(found.at_s)) == (7.0, 5)
    # slow enough for a beat, and too fast for one
    assert not list(rides_jump(song, ridden((5, 0, "line"), (6.2, -12, "hold"))))
    assert list(rides_jump(song, ridden((5, 0, "line"), (5.9, -12, "hold"))))


@pytest.mark.parametrize("slots", [3, 20, 400])
def test_beats_are_linked_as_written_plainly(slots):
    rng = np.random.default_rng(slots)
    onsets, costs, nearest = rng.standard_normal(slots), -rng.random(30), 10
    back = nearest + np.arange(costs.size)
    score, came_from = onsets.copy(), np.full(slots, -1)
    for t in range(slots):
        before = [(score[t - far] + cost, t - far) for far, cost in zip(back, costs, strict=True) if far <= t]
        most, best = max(before, default=(0.0, -1))
        if most > 0.0:
            score[t] += most
            came_from[t] = best
    linked, found = onsets.copy(), np.full(slots, -1)
    _link(costs, nearest, linked, found)
    np.testing.assert_allclose(linked, score)
    np.testing.assert_array_equal(found, came_from)
