"""Advice that only the song can give: the side, lifted where left and right agree little."""

import numpy as np
import pytest

from tests.conftest import RATE_HZ, recipe_of, tone
from tin_kettle.core.engine.source import ArraySource
from tin_kettle.core.survey.advice import side_notes
from tin_kettle.core.survey.survey import survey_song


def song():
    """500 Hz in the middle, 5 kHz at the sides, as loud."""
    mid, side = tone(500, -20, 8)[0], tone(5000, -20, 8)[0]
    return ArraySource(np.stack([mid + side, mid - side]), RATE_HZ)


def said(*bands):
    recipe = recipe_of({"id": "e", "kind": "equalizer", "params": {"bands": list(bands)}})
    return side_notes(recipe, survey_song(recipe, {"mix": song()}))


@pytest.mark.parametrize(
    ("band", "warned"),
    [
        ({"hz": 5000, "gain_db": 2, "q": 1, "channels": "side"}, True),
        ({"shape": "high_shelf", "hz": 4000, "gain_db": 1, "channels": "side"}, True),
        ({"hz": 500, "gain_db": 2, "q": 1, "channels": "side"}, False),
        ({"hz": 5000, "gain_db": -2, "q": 1, "channels": "side"}, False),
        ({"hz": 5000, "gain_db": 2, "q": 1, "channels": "mid"}, False),
        ({"hz": 5000, "gain_db": 2, "q": 1, "channels": "side", "on": False}, False),
    ],
)
def test_it_warns_where_the_lift_meets_what_mono_loses(band, warned):
    assert bool(said({"id": "a", **band})) == warned


def test_the_figures_are_those_of_the_song():
    (note,) = said({"id": "a", "hz": 5000, "gain_db": 2, "q": 1, "channels": "side"})["e"]
    assert note.startswith("2 dB more around 5 kHz, side only: ")
    assert "100 % of the energy is lost in mono" in note
