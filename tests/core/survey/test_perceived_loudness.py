"""Two settings at one LUFS, told apart by what the ear makes of them."""

import re

import numpy as np
import pytest

from tests.conftest import RATE_HZ, noise, recipe_of, tone
from tin_kettle.core.engine.source import ArraySource
from tin_kettle.core.survey.perceived_loudness import EQUAL_LUFS, difference_words, perceive


def heard(recipe, x):
    return perceive(recipe, {"mix": ArraySource(x, RATE_HZ)}, 0, x.shape[1])


def test_level_alone_makes_no_difference_at_equal_lufs():
    x = noise(-20, 3.0)
    before = heard(recipe_of(), x)
    after = heard(recipe_of({"kind": "trim", "params": {"gain_db": -6}}), x)
    assert after["lufs"] == pytest.approx(before["lufs"] - 6, abs=0.05)
    assert after["own"]["n5_sone"] < 0.8 * before["own"]["n5_sone"]
    assert after["equal"]["n5_sone"] == pytest.approx(before["equal"]["n5_sone"], rel=0.005)
    assert "as loud at its loudest" in difference_words(before, after)
    assert "as loud on average" in difference_words(before, after)


def test_what_is_spread_wider_is_louder_at_equal_lufs():
    narrow, wide = heard(recipe_of(), tone(1000, -20, 3.0)), heard(recipe_of(), noise(-20, 3.0))
    words = difference_words(narrow, wide)
    assert wide["equal"]["n5_sone"] > 1.5 * narrow["equal"]["n5_sone"]
    assert re.search(r"at equal LUFS: \d+% louder at its loudest", words)
    assert "less around" in words
    assert re.search(r"at equal LUFS: \d+% less loud at its loudest", difference_words(wide, narrow))


def test_silence_has_no_loudness_to_hold_equal():
    x = np.zeros((2, RATE_HZ))
    silent = heard(recipe_of(), x)
    assert (silent["lufs"], silent["own"]["n5_sone"]) == (None, 0)
    assert difference_words(silent, silent) == "one of the two is silent"
    assert EQUAL_LUFS == -20.0
