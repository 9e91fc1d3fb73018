"""Blocks on one road at a time: in order at every place, the same samples, and none waits for one that failed."""

import threading
import time
from concurrent.futures import ThreadPoolExecutor

import numpy as np
import pytest

from tests.conftest import RATE_HZ, music, noise, recipe_of
from tests.random_recipes import draw_ridden
from tin_kettle.core.engine.graph.graph import Graph
from tin_kettle.core.engine.graph.stage_node import StageNode
from tin_kettle.core.engine.graph.traversal import Pipeline
from tin_kettle.core.engine.offline import render
from tin_kettle.core.engine.parallel import in_parallel
from tin_kettle.core.engine.source import ArraySource
from tin_kettle.core.errors import Cancelled
from tin_kettle.core.recipe.reading import parse_recipe

SONG = music(0.6)
DUCKED = {
    "format": "tin-kettle-recipe",
    "version": 1,
    "groups": [{"id": "band", "chain": [{"id": "hold", "kind": "compressor"}]}],
    "buses": [
        {"id": "kick", "chain": [{"id": "low", "kind": "filter", "params": {"high_pass_on": True}}]},
        {"id": "bass", "group": "band", "chain": [{"id": "duck", "kind": "compressor", "params": {"key": ["kick"]}}]},
        {"id": "keys", "group": "band", "chain": [{"id": "tame", "kind": "tamer"}]},
    ],
    "master": [{"id": "top", "kind": "limiter", "params": {"gain_db": 9}}],
}


def rendered(recipe, sources, **more):
    return np.concatenate(list(render(recipe, sources, block_frames=777, **more)), axis=1)


@pytest.mark.parametrize("seed", range(0, 40, 3))
def test_any_road_gives_the_same_samples_on_any_number_of_threads(seed):
    recipe, sources = draw_ridden(seed, 0.6), {"mix": ArraySource(SONG, RATE_HZ)}
    np.testing.assert_array_equal(rendered(recipe, sources, threads=4), rendered(recipe, sources, threads=1))


def test_keys_and_groups_and_what_is_read_are_the_same_on_any_number_of_threads():
    recipe = parse_recipe(DUCKED)
    sources = {bus: ArraySource(noise(-15, 0.6, seed=n), RATE_HZ) for n, bus in enumerate(("kick", "bass", "keys"))}
    found = []
    for threads in (1, 4):
        graph, read = Graph(recipe, RATE_HZ), {}
        graph.meter(True)

        def look(part, read=read):
            read.setdefault(part.id, []).append(part.reading)

        sound = rendered(recipe, sources, graph=graph, read=look, threads=threads)
        found.append((sound, read))
    (one, first), (many, second) = found
    np.testing.assert_array_equal(many, one)
    assert set(first) == set(second) == {"kick", "bass", "keys", "band", "low", "duck", "tame", "hold", "top"}
    for name, readings in first.items():
        assert len(readings) == len(second[name])
        for before, after in zip(readings, second[name], strict=True):
            assert before.rows.keys() == after.rows.keys()
            for row in before.rows:
                assert before.rows[row][0] == after.rows[row][0]
                np.testing.assert_array_equal(before.rows[row][1], after.rows[row][1])


class Spot:
    """A place that notes who was there."""

    def __init__(self):
        self.seen, self.there = [], 0

    def parts(self):
        return (self,)


def test_none_overtakes_another_and_several_are_under_way_at_once():
    spots, pauses, read = [Spot() for _ in range(4)], np.random.default_rng(3).uniform(0, 0.004, (20, 4)), []
    pipeline, meeting = Pipeline(read.append), threading.Barrier(2, timeout=5)

    def go(number):
        for n, spot in enumerate(spots):
            with pipeline.traversal(number).at(spot):
                spot.there += 1
                assert spot.there == 1
                time.sleep(pauses[number, n])
                spot.seen.append(number)
                if (number, n) in ((0, 1), (1, 0)):
                    meeting.wait()
                spot.there -= 1

    with ThreadPoolExecutor(3) as pool:
        for done in [pool.submit(go, number) for number in range(20)]:
            done.result()
    assert all(spot.seen == list(range(20)) for spot in spots)
    assert len(read) == 80


def test_a_block_that_fails_is_told_and_nobody_waits_for_it(monkeypatch):
    recipe = recipe_of({"id": "a", "kind": "trim"}, {"id": "b", "kind": "compressor"})
    process, calls = StageNode.process, []

    def failing(self, *given):
        if self.id == "b":
            calls.append(1)
            if len(calls) == 3:
                raise ValueError("the third block")
        return process(self, *given)

    monkeypatch.setattr(StageNode, "process", failing)
    with pytest.raises(ValueError, match="the third block"):
        rendered(recipe, {"mix": ArraySource(SONG, RATE_HZ)}, threads=4)
    assert len(calls) == 3


def test_who_stops_in_the_middle_leaves_no_thread_behind():
    before = threading.active_count()
    blocks = render(recipe_of({"id": "a", "kind": "trim"}), {"mix": ArraySource(SONG, RATE_HZ)}, block_frames=777)
    next(blocks)
    blocks.close()
    assert threading.active_count() == before


def test_a_block_behind_one_that_stopped_is_cancelled():
    pipeline, spot = Pipeline(), Spot()
    pipeline.stop()
    with pytest.raises(Cancelled), pipeline.traversal(1).at(spot):
        pass


def test_those_abreast_hear_every_block_in_order_and_their_faults_are_told():
    heard = {name: [] for name in "ab"}
    with in_parallel([heard["a"].append, heard["b"].append]) as hear:
        for number in range(30):
            hear(number)
    assert heard == {"a": list(range(30)), "b": list(range(30))}

    def fails(number):
        if number == 2:
            raise ValueError("deaf")

    with pytest.raises(ValueError, match="deaf"), in_parallel([fails]) as hear:
        for number in range(3):
            hear(number)
