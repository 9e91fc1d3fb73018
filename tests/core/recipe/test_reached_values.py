"""What automation reaches counts wherever a setting counts: for the rate, for keys, for memory and tail."""

import itertools
import json

import numpy as np
import pytest

from tests.conftest import RATE_HZ, noise, recipe_of, tone
from tests.random_recipes import draw_ridden, draw_touched
from tin_kettle.core.engine.graph.graph import Graph
from tin_kettle.core.engine.live.audition import Audition
from tin_kettle.core.engine.offline import render
from tin_kettle.core.engine.source import ArraySource
from tin_kettle.core.errors import AudioError, RecipeError
from tin_kettle.core.recipe.automation import automation_of, with_values
from tin_kettle.core.recipe.describe import describe_recipe
from tin_kettle.core.recipe.held_values import HeldValue, with_touches
from tin_kettle.core.recipe.reading import check_rate, parse_recipe
from tin_kettle.core.stages.trim import Trim


def moved(target, param, *values, at=0.5):
    points = [{"at": at * i, "value": value} for i, value in enumerate(values)]
    return {"target": target, "param": param, "points": points}


def rendered(recipe, sources, rate_hz=RATE_HZ, **more):
    sources = {name: ArraySource(samples, rate_hz) for name, samples in sources.items()}
    return np.concatenate(list(render(recipe, sources, **more)), axis=1)


def equalizer(**band):
    return {"id": "e", "kind": "equalizer", "params": {"bands": [{"id": "a", "gain_db": 3, **band}]}}


REFUSED = {
    "a band that is switched on": ([equalizer(hz=24000, on=False)], [moved("e", "bands.a.on", False, True)], 44100),
    "a shape that is reached": (
        [equalizer(hz=23000, shape="low_pass")],
        [moved("e", "bands.a.shape", "low_pass", "bell")],
        44100,
    ),
    "crossovers of a stage that is switched on": (
        [{"id": "b", "kind": "band_dynamics", "on": False}],
        [moved("b", "on", False, True)],
        8000,
    ),
    "a split that is switched on": (
        [
            {
                "id": "s",
                "kind": "split",
                "on": False,
                "params": {"by": "bands", "crossovers_hz": [5000], "branches": [{"id": "low"}, {"id": "high"}]},
            }
        ],
        [moved("s", "on", False, True)],
        8000,
    ),
}


@pytest.mark.parametrize("name", REFUSED)
def test_what_automation_brings_above_the_rate_is_refused(name):
    chain, automation, rate_hz = REFUSED[name]
    recipe = recipe_of(*chain, automation=automation)
    with pytest.raises(RecipeError, match=f"above what {rate_hz} Hz carries"):
        check_rate(recipe, rate_hz)
    check_rate(recipe, 96000)


def test_what_is_never_on_may_lie_anywhere():
    check_rate(recipe_of(equalizer(hz=24000, on=False), automation=[moved("e", "bands.a.on", False)]), 44100)
    off = recipe_of(
        {"id": "b", "kind": "band_dynamics", "on": True}, automation=[moved("b", "on", False, False, False)]
    )
    check_rate(off, 8000)


def test_a_low_pass_of_a_detector_is_bypassed_and_an_emphasis_refused():
    def heard(*filters):
        params = {"detector_filters": list(filters), "threshold_db": -30, "ratio": 8}
        return rendered(recipe_of({"kind": "compressor", "params": params}), {"mix": x}, 16000)

    x = noise(-12, 0.3)
    np.testing.assert_array_equal(heard({"kind": "low_pass", "hz": 12000}), heard())
    with pytest.raises(RecipeError, match=r"detector_filters\[0\]\.hz: 12000 Hz is above"):
        heard({"kind": "bell", "hz": 12000, "gain_db": 6})
    emphasis = {"kind": "saturator", "params": {"emphasis_on": True, "emphasis_hz": 12000}}
    with pytest.raises(RecipeError, match=r"emphasis_hz: 12000 Hz is above what 16000 Hz carries"):
        check_rate(recipe_of(emphasis), 16000)


@pytest.mark.parametrize("seed", range(40))
def test_no_recipe_gives_anything_that_is_not_finite_at_any_rate(seed):
    rate_hz = (8000, 11025, 22050, 32000, 44100)[seed % 5]
    recipe, x = draw_ridden(seed, 0.4), noise(-12, 0.4, rate_hz, seed)
    try:
        check_rate(recipe, rate_hz)
    except RecipeError:
        return
    assert np.isfinite(rendered(recipe, {"mix": x}, rate_hz)).all()


@pytest.mark.parametrize("seed", range(40))
def test_the_farthest_setting_is_that_of_all_combinations(seed):
    recipe = draw_ridden(seed, 2.0, most=8)
    automation = automation_of(recipe)

    def highest_hz(stage):
        return sum(hz for _, hz in stage.declared.hz_params(stage.params))

    for stage in recipe.stages():
        reached = {one.param: one.reached for one in automation.of(stage.id)}
        combinations = itertools.product(*reached.values())
        wanted = max(highest_hz(with_values(stage, dict(zip(reached, values, strict=True)))) for values in combinations)
        assert highest_hz(automation.farthest(stage, highest_hz)) == wanted


def test_a_stage_that_gives_no_numbers_is_named_and_nothing_of_it_leaves(monkeypatch):
    def broken(trim, block):
        trim.state["broken"] = np.array([np.nan])
        return block * np.nan

    recipe = recipe_of({"id": "fine", "kind": "filter"}, {"id": "bad", "kind": "trim", "params": {"gain_db": 1}})
    monkeypatch.setattr(Trim, "process", broken)
    with pytest.raises(AudioError, match=r"'bad' \(trim\) gives numbers that are no sound; change its settings"):
        rendered(recipe, {"mix": noise(-20, 0.2)})
    audition = Audition(recipe, {"mix": ArraySource(noise(-20, 1.0), RATE_HZ)})
    for _ in range(2):
        with pytest.raises(AudioError, match="'bad'"):
            audition.render()
    monkeypatch.undo()
    audition.seek(0)
    assert np.isfinite(audition.render().now).all()


def ducked(**more):
    duck = {"id": "duck", "kind": "compressor", "params": {"key": ["drums"], "threshold_db": -40, "ratio": 20}}
    return recipe_of(buses=[{"id": "drums", "muted": True}, {"id": "bass", "chain": [{**duck, **more}]}])


def test_a_keyed_compressor_that_is_switched_on_by_automation_hears_its_key():
    sources = {"drums": tone(100, -3, 2.0), "bass": tone(1000, -26, 2.0)}
    always = rendered(ducked(), sources)
    off = ducked(on=False)
    later = off.model_copy(update={"automation": parse_automation(off, moved("duck", "on", False, True))})
    found = rendered(later, sources)
    level_db = 20 * np.log10(np.abs(np.stack([always[0, -24000:], found[0, -24000:]])).max(axis=1))
    assert level_db[1] == pytest.approx(level_db[0], abs=0.1)
    np.testing.assert_allclose(found[:, :20000], sources["bass"][:, :20000], atol=1e-9)


def parse_automation(recipe, *automation):
    document = recipe.model_dump(mode="json") | {"automation": list(automation)}
    return parse_recipe(document).automation


def test_memory_and_tail_are_those_of_the_longest_that_automation_reaches():
    room = {"id": "r", "kind": "room", "params": {"decay_s": 0.2}}
    still, ridden = (recipe_of(room, automation=list(more)) for more in ((), (moved("r", "decay_s", 0.2, 5.0),)))
    longest = recipe_of({**room, "params": {"decay_s": 5.0}})
    short, found, wanted = (Graph(recipe, RATE_HZ) for recipe in (still, ridden, longest))
    assert found.tail_s == pytest.approx(wanted.tail_s) and found.memory_s == pytest.approx(wanted.memory_s)
    assert short.tail_s < 0.2 * wanted.tail_s
    inside = recipe_of(
        {"id": "s", "kind": "split", "params": {"branches": [{"id": "a", "chain": [room]}, {"id": "b"}]}},
        automation=[moved("r", "decay_s", 0.2, 5.0)],
    )
    assert Graph(inside, RATE_HZ).tail_s == pytest.approx(wanted.tail_s)
    slow = {"id": "c", "kind": "compressor", "on": False, "params": {"release_ms": 50}}
    graph = Graph(
        recipe_of(slow, automation=[moved("c", "on", False, True), moved("c", "release_ms", 50, 3000)]), 48000
    )
    assert graph.memory_s > 3.0


def test_what_a_hand_holds_is_a_value_that_is_allowed():
    recipe = recipe_of({"id": "f", "kind": "filter"}, automation=[moved("f", "high_pass_slope", 24, 12)])
    held = with_touches(recipe, [HeldValue(target="f", param="high_pass_slope", value=48.0)])
    assert held.master[0].params.high_pass_slope == 48 and isinstance(held.master[0].params.high_pass_slope, int)
    assert describe_recipe(held, RATE_HZ)["f"]["summary"]


@pytest.mark.parametrize("seed", range(30))
def test_any_touch_gives_a_document_that_may_be_read_again(seed):
    rng, recipe = np.random.default_rng(seed), draw_ridden(seed, 1.0)
    for _ in range(4):
        # as it comes over the wire, where whole numbers are none
        recipe = draw_touched(rng, recipe, whole=False)
        assert parse_recipe(json.loads(json.dumps(recipe.model_dump(mode="json")))) == recipe
        describe_recipe(recipe, RATE_HZ)
