"""What a stage does over the song, said as an engineer would."""

import numpy as np
import pytest

from tests.conftest import RATE_HZ, recipe_of, tone
from tin_kettle.core.engine.source import ArraySource
from tin_kettle.core.recipe.model import Section
from tin_kettle.core.survey.effort import effort_words, song_words
from tin_kettle.core.survey.survey import survey_song


@pytest.mark.parametrize(
    ("effort", "words"),
    [
        ([-1.0, -1, -2, -2, -2, -4], "mostly 1.2–2 dB, 4 dB at most"),
        ([0.0, 0, -1, -1], "mostly 1 dB, 50 % of the time, 1 dB at most"),
        ([0.0, -0.01], "takes nothing off"),
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
    assert song_words(song, "c", parts) == "2.6 dB off in the choruses, 2.6 dB at most"
    once = sections(("Intro", 0, 4), ("Bridge", 4, 6), ("Rest", 6, 10))
    assert " off in the bridge, " in song_words(song, "c", once)


def test_where_it_works_alike_no_place_is_named(song):
    whole = song_words(song, "c", [])
    assert whole.startswith("mostly ")
    assert song_words(song, "c", sections(("Part 1", 0, 5), ("Part 2", 5, 10))) == whole
