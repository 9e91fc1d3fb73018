"""What holds for every recipe, on trees of splits and stages drawn by chance, with values ridden by chance."""

import json

import numpy as np
import pytest

from tests.conftest import RATE_HZ, music, recipe_of, run
from tests.core.engine.listener import Listener
from tests.random_recipes import SPLIT, draw_plain, draw_recipe, draw_ridden
from tin_kettle.core.engine.graph.graph import Graph
from tin_kettle.core.engine.graph.stage_instance import StageInstance
from tin_kettle.core.engine.offline import render
from tin_kettle.core.engine.source import ArraySource
from tin_kettle.core.errors import KettleError
from tin_kettle.core.recipe.describe import describe_recipe
from tin_kettle.core.recipe.differences import differences
from tin_kettle.core.recipe.reading import dump_recipe, parse_recipe
from tin_kettle.core.stages import KINDS

SEEDS = range(40)
SONG = music(0.6)
SECONDS = SONG.shape[1] / RATE_HZ


def rendered(recipe, samples=SONG, **more):
    return np.concatenate(list(render(recipe, {"mix": ArraySource(samples, RATE_HZ)}, **more)), axis=1)


@pytest.mark.parametrize("seed", SEEDS)
def test_it_is_written_and_read_the_same_and_can_be_told(seed):
    recipe = draw_ridden(seed, SECONDS)
    assert parse_recipe(json.loads(json.dumps(dump_recipe(recipe)))) == recipe
    assert recipe.map_stages(lambda stage: stage) == recipe
    assert differences(recipe, recipe) == []
    assert differences(draw_recipe(seed), recipe)
    told = describe_recipe(recipe, RATE_HZ)
    assert all(one["summary"] for one in told.values())
    json.dumps(told, allow_nan=False)


@pytest.mark.parametrize("seed", SEEDS)
def test_the_print_is_as_long_as_the_song_and_the_same_in_any_blocks(seed):
    recipe = draw_ridden(seed, SECONDS)
    whole = rendered(recipe, block_frames=SONG.shape[1])
    assert whole.shape == SONG.shape
    assert np.isfinite(whole).all()
    level = max(1.0, float(np.abs(whole).max()))
    np.testing.assert_allclose(rendered(recipe, block_frames=777) / level, whole / level, atol=1e-12)


@pytest.mark.parametrize("kind", [kind for kind in KINDS.values() if kind.name != SPLIT], ids=lambda kind: kind.name)
def test_no_stage_writes_to_what_it_is_given(kind):
    given = SONG[:, :4096].copy()
    for seed in range(12):
        params = draw_plain(np.random.default_rng(seed), kind)
        stage = recipe_of({"id": "s", "kind": kind.name, "params": params}).master[0]
        stage.declared.build(stage.params, RATE_HZ).process(given)
        np.testing.assert_array_equal(given, SONG[:, :4096])


@pytest.mark.parametrize("seed", SEEDS[:15])
def test_nor_does_one_whose_values_move(seed, monkeypatch):
    process, met = StageInstance.process, []

    def watched(voice, block, *more):
        before = block.copy()
        out = process(voice, block, *more)
        np.testing.assert_array_equal(block, before, voice.stage.kind)
        met.append(voice.stage.kind)
        return out

    monkeypatch.setattr(StageInstance, "process", watched)
    rendered(draw_ridden(seed, SECONDS), SONG.copy())
    assert met


@pytest.mark.parametrize("seed", SEEDS)
def test_it_decays_into_silence_without_denormals(seed):
    graph = Graph(draw_recipe(seed), RATE_HZ)
    run(graph, SONG)
    quiet = np.zeros((2, RATE_HZ))
    for _ in range(5):
        run(graph, quiet)
    for node in graph.nodes():
        for name, array in node.instance.processor.state.items():
            if array.dtype == np.float64:
                rest = np.abs(array[array != 0])
                assert not rest.size or rest.min() > 1e-290, (node.stage.kind, name)


@pytest.mark.parametrize("seed", list(SEEDS)[::2])
def test_what_is_heard_is_the_print(seed):
    recipe = draw_ridden(seed, SECONDS)
    printed = rendered(recipe)
    audition = Listener(recipe, {"mix": ArraySource(SONG, RATE_HZ)})
    heard = np.concatenate([audition.render().now for _ in range(SONG.shape[1] // 1024)], axis=1)
    level = max(1.0, float(np.abs(printed).max()))
    np.testing.assert_allclose(heard / level, printed[:, : heard.shape[1]] / level, atol=1e-12)


def neutral(document):
    """Every stage at no mix, or off where it has none; every fader at nought."""

    def owner(one):
        one |= {"gain_db": 0.0, "pan": 0.0, "muted": False}
        return chain(one["chain"])

    def chain(stages):
        for stage in stages:
            stage["mix"], stage["on"] = (1.0, False) if stage["kind"] == "limiter" else (0.0, True)
            for branch in stage["params"].get("branches", ()):
                owner(branch)

    chain(document["master"])
    owner(document["buses"][0])
    return parse_recipe(document)


@pytest.mark.parametrize("seed", list(SEEDS)[::2])
def test_stages_at_no_mix_leave_the_level_of_every_frequency_alone(seed):
    recipe = neutral(dump_recipe(draw_recipe(seed)))
    out = rendered(recipe)
    crossed = any(stage.declared.crossovers_hz(stage.params) for stage in recipe.stages())
    if not crossed:
        np.testing.assert_allclose(out, SONG, atol=1e-12)
        return
    impulse = np.zeros((2, 1 << 15))
    impulse[:, 8000] = 1.0
    gain_db = 20 * np.log10(np.abs(np.fft.rfft(rendered(recipe, impulse)))[:, 20:])
    assert np.abs(gain_db).max() < 0.01


@pytest.mark.parametrize("seed", list(SEEDS)[::2])
def test_a_graph_that_is_forked_goes_on_as_the_first_one(seed):
    recipe = draw_ridden(seed, SECONDS)
    graph = Graph(recipe, RATE_HZ)
    run(graph, SONG[:, :9000])
    twin = graph.fork()
    for at in (9000, 12000):
        run(twin.fork(), -SONG[:, at : at + 3000], at)
        ours, theirs = (run(one, SONG[:, at : at + 3000], at) for one in (graph, twin))
        np.testing.assert_array_equal(ours, theirs)


@pytest.mark.parametrize("seed", list(SEEDS)[::2])
def test_a_song_without_any_stage_is_the_sum_of_its_buses(seed):
    recipe = draw_ridden(seed, SECONDS)
    np.testing.assert_array_equal(rendered(recipe.as_received()), SONG)
    off = recipe.without(None)
    faders = [r for r in off.automation if r.target == "mix"]
    bare = off.model_copy(update={"master": (), "automation": tuple(faders)})
    bare = bare.map_chains(lambda _chain, _owner: ())
    try:
        np.testing.assert_allclose(rendered(off), rendered(bare), atol=1e-12)
    except KettleError as refused:  # pragma: no cover  a drawn frequency that the rate does not carry
        pytest.skip(str(refused))
