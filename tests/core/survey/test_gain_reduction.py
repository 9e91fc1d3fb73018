"""Work and loudness of a compressor on a passage, and a recipe's parts."""

from collections import Counter

import numpy as np
import pytest

from tests.conftest import RATE_HZ, music, noise, recipe_of, run, tone
from tin_kettle.core.engine.graph.graph import Graph
from tin_kettle.core.engine.offline import render
from tin_kettle.core.engine.passage import render_passage
from tin_kettle.core.engine.source import ArraySource
from tin_kettle.core.errors import RecipeError
from tin_kettle.core.recipe.extract import bus_alone
from tin_kettle.core.stages import KINDS
from tin_kettle.core.stages.presets import STARTS
from tin_kettle.core.survey.align import lag_frames
from tin_kettle.core.survey.gain_reduction import makeup_gain_db, mean_effort_db, threshold_for_work


def compressed(**params):
    return recipe_of({"id": "c", "kind": "compressor", "params": {"threshold_db": -24, "ratio": 3, **params}})


def test_the_threshold_follows_so_that_the_work_stays():
    x = music(6.0)
    source = {"mix": ArraySource(x, RATE_HZ)}
    before, after = compressed(attack_ms=30), compressed(attack_ms=1)
    found = threshold_for_work(before, after, "c", source, 0, x.shape[1])
    assert found > -24, "a faster attack takes off more"
    works = [
        mean_effort_db(recipe.master[0].params, x, RATE_HZ)
        for recipe in (before, compressed(attack_ms=1, threshold_db=found))
    ]
    assert works[1] == pytest.approx(works[0], abs=0.05)


def test_matched_makeup_makes_both_equally_loud():
    x = tone(1000, -6, 4.0)
    source = {"mix": ArraySource(x, RATE_HZ)}
    gain = makeup_gain_db(compressed(knee_db=0), "c", source, 0, x.shape[1])
    assert 9 < gain < 12.1
    again = makeup_gain_db(compressed(knee_db=0, makeup_db=gain), "c", source, 0, x.shape[1])
    assert again == pytest.approx(0, abs=0.02)
    with pytest.raises(RecipeError, match="'x' is no compressor"):
        makeup_gain_db(compressed(), "x", source, 0, 100)


def test_a_bus_alone_has_its_chain_and_fader_and_still_hears_its_key():
    key = {"id": "k", "kind": "compressor", "params": {"key": ["a"], "threshold_db": -40, "ratio": 10}}
    recipe = recipe_of(
        {"kind": "trim", "params": {"gain_db": -20}},
        buses=[{"id": "a"}, {"id": "b", "chain": [key], "gain_db": -6, "group": "g"}],
        groups=[{"id": "g", "chain": [{"id": "t", "kind": "trim", "params": {"gain_db": 12}}]}],
    )
    sources = {"a": ArraySource(tone(100, -3, 1.0), RATE_HZ), "b": ArraySource(tone(1000, -20, 1.0), RATE_HZ)}
    out = np.concatenate(list(render(bus_alone(recipe, "b"), sources)), axis=1)
    assert 20 * np.log10(np.abs(out[:, 24000:]).max()) < -50
    with pytest.raises(RecipeError, match="there is no bus 'z'; there are: a, b, g"):
        bus_alone(recipe, "z")


def test_a_short_passage_is_that_slice_of_the_whole():
    x = music(4.0)
    recipe = recipe_of({"kind": "filter", "params": {"high_pass_on": True}}, {"kind": "limiter"})
    source = {"mix": ArraySource(x, RATE_HZ)}
    whole = np.concatenate(list(render(recipe, source)), axis=1)
    before, after = render_passage(recipe, source, 96000, 98000)
    np.testing.assert_array_equal(before, x[:, 96000:98000])
    np.testing.assert_allclose(after, whole[:, 96000:98000], atol=1e-3)


@pytest.mark.parametrize("lag", [0, 1, 777, -4800])
def test_bounces_are_lined_up_to_the_sample(lag):
    x = music(3.0)
    moved = np.roll(np.pad(x, ((0, 0), (6000, 6000))), lag, axis=1) * 0.6
    old, new = ArraySource(np.pad(x, ((0, 0), (6000, 6000))), RATE_HZ), ArraySource(moved, RATE_HZ)
    assert lag_frames(old, new) == lag
    other = np.random.default_rng(9).standard_normal((2, 96000)) * 0.1
    assert lag_frames(ArraySource(other, RATE_HZ), ArraySource(music(2.0, seed=4), RATE_HZ)) is None


def test_starting_points_are_few_and_work():
    kinds = {kind.params: kind.name for kind in KINDS.values()}
    counts = Counter(kinds[type(start.params)] for start in STARTS)
    assert max(counts.values()) <= 5
    x = music(6.0) + noise(-30, 6.0) + tone(95, -14, 6.0) + tone(7000, -24, 6.0)
    x[:, : 3 * RATE_HZ] *= 0.5
    for start in STARTS:
        stage = {"id": "s", "kind": kinds[type(start.params)], "params": start.params.model_dump(mode="json")}
        graph = Graph(recipe_of(stage), RATE_HZ)
        graph.meter(True)
        out = run(graph, x.copy())
        if not KINDS[stage["kind"]].dynamic:
            assert np.abs(out - x).max() > 1e-3, start.name
            continue
        effort = graph.readings()["s"].rows["effort_db"][1]
        assert np.abs(effort).max() > 0.3, start.name
        assert -13.0 < effort.mean() < 4.0, start.name
