"""What a stage does over the song, said as an engineer would."""

import re

import numpy as np
import pytest

from tests.conftest import RATE_HZ, recipe_of, tone
from tin_kettle.core.engine.source import ArraySource
from tin_kettle.core.recipe.model import Section
from tin_kettle.core.survey.effort import effort_words, part_words, song_words, stage_words
from tin_kettle.core.survey.survey import survey_song


@pytest.mark.parametrize(
    ("effort", "words"),
    [
        ([-1.0, -1, -2, -2, -2, -4], "mostly 1.2–2 dB, 4 dB max"),
        ([0.0, 0, -1, -1], "mostly 1 dB, 50 % of the time, 1 dB max"),
        ([0.0, -0.01], "no effect yet"),
        ([0.0, 0, 3, 6], "adds mostly 3.8–5.2 dB, 50 % of the time, 6 dB max"),
        ([-2.0, 0, 0, 4], "mostly 2 dB, 25 % of the time, 2 dB max; adds mostly 4 dB, 25 % of the time, 4 dB max"),
    ],
)
def test_how_much_and_how_often(effort, words):
    assert effort_words(np.array(effort)) == words


@pytest.fixture(scope="module")
def song():
    """Ten seconds, the third quarter and the last bit loud; a compressor works there."""
    x = tone(1000, -30, 10.0)
    for start, end in ((4.0, 6.0), (8.0, 9.0)):
        x[:, round(start * RATE_HZ) : round(end * RATE_HZ)] *= 10
    params = {"threshold_db": -16, "ratio": 2, "knee_db": 0, "attack_ms": 1, "release_ms": 20}
    recipe = recipe_of({"id": "c", "kind": "compressor", "params": params})
    return survey_song(recipe, {"mix": ArraySource(x, RATE_HZ)})


def sections(*parts):
    return [Section(id=f"s{i}", name=name, start_s=a, end_s=b) for i, (name, a, b) in enumerate(parts)]


def test_where_it_works_harder_is_named(song):
    parts = sections(("Verse", 0, 4), ("Chorus", 4, 6), ("Verse 2", 6, 8), ("Chorus 2", 8, 9), ("End", 9, 10))
    assert song_words(song, "c", parts) == "2.6 dB off in the choruses, 2.6 dB max"
    once = sections(("Intro", 0, 4), ("Bridge", 4, 6), ("Rest", 6, 10))
    assert " off in the bridge, " in song_words(song, "c", once)


def test_where_it_works_alike_no_place_is_named(song):
    whole = song_words(song, "c", [])
    assert whole.startswith("mostly ")
    assert song_words(song, "c", sections(("Part 1", 0, 5), ("Part 2", 5, 10))) == whole


def test_parts_are_told_by_what_they_do_where_and_how_often(song):
    hops = -(-song.frames // 256)
    effort = np.zeros(hops)
    for second in (4.2, 4.9, 5.6, 8.4):
        at = round(second * RATE_HZ / 256)
        effort[at : at + 20] = -3.0
    parts = sections(("Verse", 0, 4), ("Chorus", 4, 6), ("Verse 2", 6, 8), ("Chorus 2", 8, 9), ("End", 9, 10))
    words = part_words(effort, "around 6.8 kHz", song, parts)
    assert words == "3 dB off around 6.8 kHz, 4 times, mostly in the choruses"
    assert part_words(np.full(hops, 2.0), "above 5 kHz", song, []) == "2 dB more above 5 kHz, all the time"
    assert part_words(effort, "below 120 Hz", song, []) == "3 dB off below 120 Hz, 4 times"


def test_a_stage_of_parts_tells_of_those_that_work():
    x = tone(1000, -30, 6.0)
    x[:, 3 * RATE_HZ :] *= 10
    pins = [
        {"id": "a", "hz": 1000, "range_db": -6, "threshold_db": -20, "ratio": 9},
        {"id": "b", "hz": 9000, "range_db": -6},
    ]
    recipe = recipe_of({"id": "d", "kind": "dynamic_equalizer", "params": {"bands": pins}})
    found = survey_song(recipe, {"mix": ArraySource(x, RATE_HZ)})
    words = stage_words(found, recipe.master[0], [])
    assert re.match(r"[56](\.\d)? dB off around 1 kHz, ", words)
    assert "9 kHz" not in words
