"""Edits at one place of the ear, as while the song is paused: what is heard afterwards is the print of the last."""

import numpy as np
import pytest

from tests.conftest import RATE_HZ, noise, recipe_of, tone
from tests.core.engine.listener import Listener
from tests.core.engine.test_live import Ear
from tests.random_recipes import SPLIT, draw_document, draw_touched
from tin_kettle.core.engine.graph.graph import Graph
from tin_kettle.core.engine.offline import render
from tin_kettle.core.engine.source import ArraySource
from tin_kettle.core.recipe.reading import parse_recipe

SECONDS = 4.0
PAUSED_AT = RATE_HZ
LONGEST_MEMORY_S = 1.0
SONG = noise(-20, SECONDS)


def print_of(recipe, samples):
    return np.concatenate(list(render(recipe, {"mix": ArraySource(samples, RATE_HZ)})), axis=1)


def play_edits(recipes, samples, blocks_between):
    """The sound from long after the ear went on, of recipes that were taken up one after the other where it stood."""
    audition = Listener(recipes[0], {"mix": ArraySource(samples, RATE_HZ)})
    ear = Ear(audition)
    ear.listen(PAUSED_AT)
    for number, (recipe, blocks) in enumerate(zip(recipes[1:], blocks_between, strict=True), 1):
        audition.change(recipe, number, ear.heard)
        for _ in range(blocks):
            ear.take(audition.render())
    ear.listen(round((SECONDS - 1.1) * RATE_HZ) - PAUSED_AT)
    return ear.now[:, ear.heard - RATE_HZ // 2 : ear.heard], slice(ear.heard - RATE_HZ // 2, ear.heard)


def below_db(heard, wanted):
    """Level of the difference below the sound."""
    return 20 * np.log10(np.abs(heard - wanted).max() / max(np.abs(wanted).max(), 1e-9) + 1e-12)


def split_of(mix=1.0, corner=300.0, trim_db=0.0, low_db=0.0):
    chain = [{"id": "low-trim", "kind": "trim", "params": {"gain_db": low_db}}]
    branches = [{"id": "low", "gain_db": 9.0, "chain": chain}, {"id": "high"}]
    params = {"by": "bands", "crossovers_hz": [corner], "branches": branches}
    split = {"id": "parts", "kind": "split", "mix": mix, "params": params}
    return recipe_of(split, {"id": "t", "kind": "trim", "params": {"gain_db": trim_db}})


@pytest.mark.parametrize("blocks", [0, 1, 2])
@pytest.mark.parametrize(
    "second", [{"mix": 0.0}, {"corner": 3000.0}, {"mix": 0.3, "low_db": -12.0}], ids=["mix", "crossover", "inside"]
)
def test_a_split_that_was_changed_before_another_control(second, blocks):
    """Fails where a later change forgets that the split itself was still to be changed."""
    recipes = [split_of(), split_of(**second), split_of(**second, trim_db=-2.0)]
    heard, where = play_edits(recipes, SONG, [blocks, blocks])
    assert below_db(heard, print_of(recipes[-1], SONG)[:, where]) < -80


def test_a_change_inside_a_split_that_waits_for_its_fade():
    """A split's next setting that waits was made of branches as they were; theirs may have changed since."""
    recipes = [split_of(), split_of(mix=0.5), split_of(mix=0.7), split_of(mix=0.7, low_db=-18.0)]
    samples = tone(100, -20, SECONDS)
    audition = Listener(recipes[0], {"mix": ArraySource(samples, RATE_HZ)})
    ear = Ear(audition)
    ear.listen(PAUSED_AT)
    for number, recipe in enumerate(recipes[1:], 1):
        audition.change(recipe, number, ear.heard)
        # less than a fade of 10 ms
        ear.take(audition.render(200))
        ear.heard = audition.position - 960
    ear.listen(RATE_HZ)
    where = slice(ear.heard - 4800, ear.heard)
    assert below_db(ear.now[:, where], print_of(recipes[-1], samples)[:, where]) < -80


def draw_with_split(seed):
    """A random document with a split among its stages, that forgets soon."""
    for number in range(1000):
        document = draw_document(1000 * seed + number)
        recipe = parse_recipe(document)
        if any(stage.kind == SPLIT for stage in recipe.stages()) and Graph(recipe, RATE_HZ).memory_s < LONGEST_MEMORY_S:
            return recipe
    raise AssertionError("no such recipe is drawn")


@pytest.mark.parametrize("seed", range(12))
def test_any_touches_at_one_place(seed):
    rng = np.random.default_rng([seed, 7])
    recipes = [draw_with_split(seed)]
    while len(recipes) < 5:
        # the split first: what is touched after it must not make it forgotten
        split = next(stage.id for stage in recipes[-1].stages() if stage.kind == SPLIT)
        touched = draw_touched(rng, recipes[-1], split if len(recipes) == 1 else None)
        if Graph(touched, RATE_HZ).memory_s < LONGEST_MEMORY_S:
            recipes.append(touched)
    heard, where = play_edits(recipes, SONG, rng.integers(0, 4, len(recipes) - 1))
    assert below_db(heard, print_of(recipes[-1], SONG)[:, where]) < -40
