"""What is measured of a passage is what is heard of it in the song: warmed, with buses muted as they are then."""

import numpy as np
import pytest

from tests.conftest import RATE_HZ, noise, recipe_of, tone
from tin_kettle.core.engine.offline import render
from tin_kettle.core.engine.source import ArraySource
from tin_kettle.core.measure.loudness import LoudnessMeter, integrated_lufs, stereo_energy
from tin_kettle.core.recipe.extract import up_to
from tin_kettle.core.survey.gain_reduction import makeup_gain_db, threshold_for_work
from tin_kettle.core.survey.level_ladder import MASTER, ladder
from tin_kettle.core.survey.perceived_loudness import perceive
from tin_kettle.core.survey.sidechain_or_split import two_ways

SECONDS = 12
START, END = 8 * RATE_HZ, 11 * RATE_HZ
SLOW = {"threshold_db": -40, "ratio": 4, "attack_ms": 300, "release_ms": 3000, "knee_db": 0}


def loud_then_soft():
    """What comes before the passage is 20 dB louder: a detector that did not hear it takes off much less."""
    x = noise(-12, SECONDS)
    x[:, 7 * RATE_HZ :] *= 0.1
    return {"mix": ArraySource(x, RATE_HZ)}


def lufs_of_slice(recipe, sources, start=START, end=END):
    whole = np.concatenate(list(render(recipe, sources)), axis=1)[:, start:end]
    meter = LoudnessMeter(RATE_HZ)
    meter.feed(np.ascontiguousarray(whole))
    return integrated_lufs(stereo_energy(meter.slots()))


def compressed(**params):
    return recipe_of({"id": "c", "kind": "compressor", "params": {**SLOW, **params}})


def test_a_ladder_a_perceived_loudness_and_a_makeup_are_those_of_the_song():
    recipe, sources = compressed(), loud_then_soft()
    with_it, without_it = lufs_of_slice(recipe, sources), lufs_of_slice(recipe_of(), sources)
    assert without_it - with_it > 6
    steps = ladder(recipe, sources, MASTER, START, END)
    assert [step["lufs"] for step in steps] == pytest.approx([without_it, with_it], abs=0.05)
    assert perceive(recipe, sources, START, END)["lufs"] == pytest.approx(with_it, abs=0.05)
    assert makeup_gain_db(recipe, "c", sources, START, END) == pytest.approx(without_it - with_it, abs=0.05)


def test_the_work_that_is_kept_and_both_ways_are_those_of_the_song():
    recipe, sources = compressed(), loud_then_soft()
    assert threshold_for_work(recipe, recipe, "c", sources, START, END) == pytest.approx(-40, abs=0.2)
    ways = two_ways(recipe, "c", sources, START, END)
    # at the beginning of the passage it still lets go of what was loud before
    assert ways.gains_db[0][:20].mean() < ways.gains_db[0][-20:].mean() - 0.5


def test_buses_are_muted_as_they_are_at_that_time():
    muted = {"target": "b", "param": "muted", "points": [{"at": 0, "value": False}, {"at": 6, "value": True}]}
    stage = {"id": "c", "kind": "compressor", "params": {"threshold_db": -30, "ratio": 2}}
    recipe = recipe_of(stage, buses=[{"id": "a"}, {"id": "b"}], automation=[muted])
    sources = {"a": ArraySource(tone(500, -26, SECONDS), RATE_HZ), "b": ArraySource(tone(700, -6, SECONDS), RATE_HZ)}
    wanted = lufs_of_slice(recipe, sources)
    steps = ladder(recipe, sources, MASTER, START, END)
    assert steps[-1]["lufs"] == pytest.approx(wanted, abs=0.05)
    assert makeup_gain_db(recipe, "c", sources, START, END) == pytest.approx(steps[0]["lufs"] - wanted, abs=0.05)


def test_branches_that_lead_to_a_stage_are_heard_whatever_mutes_them():
    trim = {"id": "t", "kind": "trim", "params": {"gain_db": 1}}
    branches = [{"id": "x", "chain": [trim]}, {"id": "y"}]
    rides = [
        {"target": name, "param": "muted", "points": [{"at": 0, "value": value}]}
        for name, value in (("x", True), ("y", False))
    ]
    recipe = recipe_of({"id": "s", "kind": "split", "params": {"branches": branches}}, automation=rides)
    x = tone(1000, -20, 1.0)
    out = np.concatenate(list(render(up_to(recipe, "t", on=True), {"mix": ArraySource(x, RATE_HZ)})), axis=1)
    assert 20 * np.log10(np.abs(out).max()) == pytest.approx(-19, abs=0.01)
