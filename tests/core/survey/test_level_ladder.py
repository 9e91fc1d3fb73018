"""Levels between the stages of a chain."""

import pytest

from tests.conftest import RATE_HZ, recipe_of, tone
from tin_kettle.core.engine.source import ArraySource
from tin_kettle.core.errors import RecipeError
from tin_kettle.core.recipe.reading import dump_recipe, parse_recipe
from tin_kettle.core.survey.level_ladder import MASTER, ladder


def climbed(recipe, lane=MASTER, seconds=3.0):
    x = tone(1000, -20, seconds)
    return ladder(recipe, {"mix": ArraySource(x, RATE_HZ)}, lane, 0, x.shape[1])


def test_every_stage_is_told_with_what_it_gives_on():
    chain = [
        {"id": "up", "kind": "trim", "params": {"gain_db": 10}},
        {"id": "off", "kind": "trim", "params": {"gain_db": 12}, "on": False},
        {"id": "end", "kind": "limiter", "params": {"gain_db": 0, "ceiling_db": -12}},
    ]
    steps = climbed(recipe_of(*chain))
    assert [step["stage"] for step in steps] == [None, "up", "off", "end"]
    # a tone of 1 kHz on both sides reads its level (BS.1770)
    assert [step["lufs"] for step in steps[:3]] == pytest.approx([-20.0, -10.0, -10.0], abs=0.1)
    assert [step["true_peak_dbtp"] for step in steps] == pytest.approx([-20, -10, -10, -12], abs=0.1)


def test_a_bus_has_a_ladder_of_its_own():
    document = dump_recipe(recipe_of({"id": "m", "kind": "trim", "params": {"gain_db": -3}}))
    document["buses"][0]["chain"] = [{"id": "b", "kind": "trim", "params": {"gain_db": 2}}]
    recipe = parse_recipe(document)
    assert [step["lufs"] for step in climbed(recipe, "mix")] == pytest.approx([-20, -18], abs=0.1)
    assert [step["lufs"] for step in climbed(recipe)] == pytest.approx([-18, -21], abs=0.1)


def test_silence_and_a_chain_without_stages():
    steps = ladder(
        recipe_of({"id": "t", "kind": "trim"}), {"mix": ArraySource(tone(1000, -200, 0.1), RATE_HZ)}, MASTER, 0, 100
    )
    assert [step["lufs"] for step in steps] == [None, None]
    with pytest.raises(RecipeError, match="'mix' has no stage; choose a chain that has some"):
        climbed(recipe_of({"id": "t", "kind": "trim"}), "mix")
