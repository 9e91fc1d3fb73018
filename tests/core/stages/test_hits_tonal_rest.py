"""Hits, tonal and rest: they sum to what came, each part of a made mix lands where it belongs, plain twins."""

import numpy as np
import pytest

from tests.conftest import RATE_HZ, noise, recipe_of, run, tone
from tin_kettle.core.dsp.hits_and_tones import CLEARLY, parts
from tin_kettle.core.dsp.timeline import Span, Timeline
from tin_kettle.core.engine.graph.graph import Graph
from tin_kettle.core.stages.hits_tonal_rest import HitsTonalRest


def split(**params):
    branches = [{"id": name} for name in ("hits", "tonal", "rest")]
    return {"id": "s", "kind": "split", "params": {"by": "percussive", "branches": branches, **params}}


def only(name, block, **params):
    branches = [{"id": other, "muted": other != name} for other in ("hits", "tonal", "rest")]
    graph = Graph(recipe_of(split(branches=branches, **params)), RATE_HZ)
    late = graph.delay
    return run(graph, np.concatenate([block, np.zeros((2, late))], axis=1))[:, late:]


def clicks(seconds, every=24000):
    """Short bursts of noise, as a stick makes them."""
    rng = np.random.default_rng(7)
    x = np.zeros((2, round(seconds * RATE_HZ)))
    for at in range(6000, x.shape[1] - 2000, every):
        x[:, at : at + 480] += 0.5 * rng.standard_normal(480) * np.exp(-np.arange(480) / 60)
    return x


@pytest.mark.parametrize("resolution_ms", [21, 43, 85])
def test_the_parts_sum_to_what_came(resolution_ms):
    block = clicks(2.0) + tone(440, -12, 2.0) + noise(-40, 2.0)
    graph = Graph(recipe_of(split(resolution_ms=resolution_ms)), RATE_HZ)
    out = run(graph, np.concatenate([block, np.zeros((2, graph.delay))], axis=1))[:, graph.delay :]
    assert np.abs(out - block).max() < 1e-12


def energy_db(block):
    return 10 * np.log10(np.sum(block[:, 12000:-12000] ** 2) + 1e-20)


@pytest.mark.parametrize(("own", "sound"), [("hits", clicks(4.0)), ("tonal", tone(440, -18, 4) + tone(1320, -24, 4))])
def test_each_part_of_a_made_mix_lands_in_its_branch(own, sound):
    """What is known to be a hit loses less than 2 dB on its way, and lies 12 dB above what strays into the other."""
    other = {"hits": "tonal", "tonal": "hits"}[own]
    kept, strayed = (energy_db(only(name, sound)) - energy_db(sound) for name in (own, other))
    assert kept > -2
    assert kept - strayed > 12


def test_noise_is_mostly_rest():
    block = noise(-20, 3.0)
    levels = {name: energy_db(only(name, block)) for name in ("hits", "tonal", "rest")}
    assert levels["rest"] == max(levels.values())


def test_a_hit_in_a_mix_is_brought_out():
    """10 dB more of the hits branch make the hits louder by nearly that, and the tone by nearly nothing."""
    hits, held = clicks(4.0), tone(440, -18, 4) + tone(660, -20, 4)
    branches = [{"id": "hits", "gain_db": 10}, {"id": "tonal"}, {"id": "rest"}]
    graph = Graph(recipe_of(split(branches=branches)), RATE_HZ)
    x = hits + held
    late = graph.delay
    out = run(graph, np.concatenate([x, np.zeros((2, late))], axis=1))[:, late:]
    where = np.abs(hits[0]) > 0.02
    before, after = (np.sqrt(np.mean(y[0, where] ** 2)) for y in (x, out))
    assert 20 * np.log10(after / before) > 6
    quiet = np.convolve(where, np.ones(9600), "same") == 0
    quiet[:12000] = quiet[-12000:] = False
    before, after = (np.sqrt(np.mean(y[0, quiet] ** 2)) for y in (x, out))
    assert abs(20 * np.log10(after / before)) < 0.5


def test_the_parts_lie_alike_wherever_one_begins_to_listen():
    block = clicks(2.0) + tone(440, -12, 2.0)
    begun = 30001
    whole, later = (HitsTonalRest(43, RATE_HZ) for _ in range(2))
    whole.span = Span(Timeline(), 0, block.shape[1])
    later.span = Span(Timeline(), begun, block.shape[1] - begun)
    a, b = whole.divide(block.copy()), later.divide(block[:, begun:].copy())
    settled = whole.warm_frames + 2048
    for one, other in zip(a, b, strict=True):
        np.testing.assert_allclose(one[:, begun + settled :], other[:, settled:], atol=1e-12)


def test_medians_are_those_of_their_plain_twin():
    rng = np.random.default_rng(9)
    around = rng.random((9, 70))
    power = around[4].copy()
    out = np.empty((2, 70))
    parts(around, power, 2, out)
    for i in range(70):
        at = [i + 2 * k for k in range(-4, 5)]
        at = [-j if j < 0 else 2 * 69 - j if j > 69 else j for j in at]
        upright, lying = np.median(power[at]), np.median(around[:, i])
        np.testing.assert_allclose(
            out[:, i], [upright / (upright + CLEARLY * lying), lying / (lying + CLEARLY * upright)], rtol=1e-9
        )
    assert np.all(out.sum(axis=0) <= 1 + 1e-12)
