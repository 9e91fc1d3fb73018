"""Whatever a hand does to the bench, what is heard afterwards is what would be printed."""

import numpy as np
import pytest

from tests.conftest import RATE_HZ, music, recipe_of
from tests.core.engine.listener import Listener
from tests.random_recipes import draw_recipe
from tin_kettle.core.engine.live.audition import PassThrough
from tin_kettle.core.engine.live.render_path import Piece
from tin_kettle.core.engine.offline import render
from tin_kettle.core.engine.source import ArraySource
from tin_kettle.core.errors import KettleError

SECONDS = 8.0
SONG = music(SECONDS) * 0.5
# nothing in it remembers for longer than a second
LAST = recipe_of(
    {"id": "a", "kind": "filter", "params": {"high_pass_on": True, "high_pass_hz": 60}},
    {"id": "b", "kind": "compressor", "params": {"threshold_db": -24, "release_ms": 40, "lookahead_ms": 3}},
    {"id": "c", "kind": "limiter", "params": {"gain_db": 4}},
)


@pytest.fixture(scope="module")
def printed():
    return np.concatenate(list(render(LAST, {"mix": ArraySource(SONG, RATE_HZ)})), axis=1)


def a_recipe(rng):
    """One drawn by chance that the rate carries."""
    while True:
        recipe = draw_recipe(int(rng.integers(1 << 30)))
        try:
            next(iter(render(recipe, {"mix": ArraySource(SONG[:, :256], RATE_HZ)})))
        except KettleError:
            continue
        return recipe


def act(audition, rng, heard):
    """One thing that a listener may do."""
    sources = audition.sources
    frames = SONG.shape[1]
    which = rng.integers(8)
    if which <= 1:
        audition.change(a_recipe(rng), int(rng.integers(100)), heard)
    elif which == 2:
        audition.seek(int(rng.integers(frames)))
    elif which == 3:
        start = int(rng.integers(frames - 20000))
        loop = (start, start + int(rng.integers(500, 20000)))
        audition.set_loop(loop if rng.random() < 0.7 else None, heard)
    elif which == 4:
        audition.compare(f"version:{rng.integers(3)}", Piece(a_recipe(rng), sources), heard)
    elif which == 5:
        stages = [stage.id for stage in audition.recipe.stages()]
        audition.tap(stages[rng.integers(len(stages))], ("result", "removed", "detector")[rng.integers(3)], heard)
    elif which == 6:
        audition.listen(PassThrough(), PassThrough(), frozenset({"mix"} if rng.random() < 0.3 else ()), heard)
    else:
        audition.keep_at_hand({"received": None, "version:1": Piece(a_recipe(rng), sources)})


@pytest.mark.parametrize("seed", range(12))
def test_the_ear_finds_back_to_the_print(printed, seed):
    rng = np.random.default_rng(seed)
    audition = Listener(a_recipe(rng), {"mix": ArraySource(SONG, RATE_HZ)})
    for _ in range(30):
        heard = max(0, audition.position - int(rng.integers(9600)))
        act(audition, rng, heard)
        for _ in range(int(rng.integers(4))):
            audition.attend(heard)
            played = audition.render()
            assert np.isfinite(played.now).all()
            assert np.isfinite(played.other).all()
            assert played.now.shape == played.other.shape
    heard = max(0, audition.position - 9600)
    audition.change(LAST, 1000, heard)
    audition.tap(None, "result", heard)
    audition.listen(PassThrough(), PassThrough(), frozenset(), heard)
    audition.compare("received", None, heard)
    audition.set_loop(None, heard)
    if seed % 3 == 0 or audition.song_at(audition.position) > 4 * RATE_HZ:
        audition.seek(2 * RATE_HZ)
    end = audition.song_at(audition.position) + 3 * RATE_HZ
    played = audition.render()
    while played.song < end:
        played = audition.render()
    span = slice(played.song, played.song + played.now.shape[1])
    assert (played.revision, played.other_name) == (1000, "received")
    np.testing.assert_allclose(played.now, printed[:, span], atol=1e-7)
    np.testing.assert_array_equal(played.other, SONG[:, span])
