"""What holds for every recipe, on recipes drawn by chance."""

import json

import numpy as np
import pytest

from tests.conftest import RATE_HZ, music
from tests.random_recipes import draw_recipe
from tin_kettle.core.engine.graph import Graph
from tin_kettle.core.engine.live import Audition
from tin_kettle.core.engine.offline import render
from tin_kettle.core.engine.source import ArraySource
from tin_kettle.core.recipe.describe import describe_recipe
from tin_kettle.core.recipe.differences import differences
from tin_kettle.core.recipe.reading import dump_recipe, parse_recipe

SEEDS = range(40)
SONG = music(0.6)


def rendered(recipe, **more):
    return np.concatenate(list(render(recipe, {"mix": ArraySource(SONG, RATE_HZ)}, **more)), axis=1)


@pytest.mark.parametrize("seed", SEEDS)
def test_it_is_written_and_read_the_same_and_can_be_told(seed):
    recipe = draw_recipe(seed)
    assert parse_recipe(json.loads(json.dumps(dump_recipe(recipe)))) == recipe
    assert differences(recipe, recipe) == []
    told = describe_recipe(recipe, RATE_HZ)
    assert all(one["summary"] for one in told.values())
    json.dumps(told, allow_nan=False)


@pytest.mark.parametrize("seed", SEEDS)
def test_the_print_is_as_long_as_the_song_and_the_same_in_any_blocks(seed):
    recipe = draw_recipe(seed)
    whole = rendered(recipe, block_frames=SONG.shape[1])
    assert whole.shape == SONG.shape
    assert np.isfinite(whole).all()
    level = max(1.0, float(np.abs(whole).max()))
    np.testing.assert_allclose(rendered(recipe, block_frames=777) / level, whole / level, atol=1e-12)


@pytest.mark.parametrize("seed", SEEDS)
def test_it_decays_into_silence_without_denormals(seed):
    graph = Graph(draw_recipe(seed), RATE_HZ)
    graph.process({"mix": SONG})
    quiet = np.zeros((2, RATE_HZ))
    for _ in range(4):
        graph.process({"mix": quiet})
    for slot in graph.slots():
        processor = slot._voice.processor
        for name, array in (processor.state if processor else {}).items():
            if array.dtype == np.float64:
                rest = np.abs(array[array != 0])
                assert not rest.size or rest.min() > 1e-290, (slot.stage.kind, name)


@pytest.mark.parametrize("seed", list(SEEDS)[::4])
def test_what_is_heard_is_the_print(seed):
    recipe = draw_recipe(seed)
    printed = rendered(recipe)
    audition = Audition(recipe, {"mix": ArraySource(SONG, RATE_HZ)})
    heard = np.concatenate([audition.render().now for _ in range(SONG.shape[1] // 1024)], axis=1)
    level = max(1.0, float(np.abs(printed).max()))
    np.testing.assert_allclose(heard / level, printed[:, : heard.shape[1]] / level, atol=1e-12)


@pytest.mark.parametrize("seed", list(SEEDS)[::4])
def test_a_stage_at_no_mix_leaves_the_sound_alone(seed):
    document = dump_recipe(draw_recipe(seed))
    for stage in (*document["master"], *document["buses"][0]["chain"]):
        stage["mix"], stage["on"] = (1.0, False) if stage["kind"] == "limiter" else (0.0, True)
    bus = document["buses"][0]
    bus["gain_db"] = bus["pan"] = 0.0
    np.testing.assert_allclose(rendered(parse_recipe(document)), SONG, atol=1e-13)
