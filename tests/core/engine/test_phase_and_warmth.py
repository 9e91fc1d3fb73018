"""Settings that come into a sound under way: in phase with siblings, warmed by all that went by, with their states."""

import numpy as np
import pytest

from tests.conftest import RATE_HZ, goes_to, noise, recipe_of, run, tone
from tests.core.engine.listener import Listener
from tests.core.engine.test_any_edit import linear
from tests.core.engine.test_live import Ear
from tin_kettle.core.engine.graph.graph import Graph
from tin_kettle.core.engine.offline import render
from tin_kettle.core.engine.source import ArraySource


def print_of(recipe, samples):
    return np.concatenate(list(render(recipe, {"mix": ArraySource(samples, RATE_HZ)})), axis=1)


def level_db(block):
    return 20 * np.log10(np.abs(block).max() + 1e-12)


def bands(name, *corners_hz):
    listed = [{"id": f"{name}{i}"} for i in range(len(corners_hz) + 1)]
    return {"id": name, "kind": "band_dynamics", "params": {"crossovers_hz": list(corners_hz), "bands": listed}}


def beside(chain):
    branches = [{"id": "a", "gain_db": -6, "chain": chain}, {"id": "b", "gain_db": -6}]
    return recipe_of({"id": "s", "kind": "split", "params": {"branches": branches}})


def test_a_sibling_stays_in_phase_when_the_other_branch_gets_other_corners_behind_a_long_delay():
    """Its all-pass stands before the delay that lines it up: changed where it stands, it would come 0.8 s too late."""
    before, after = (beside([linear("e", 1.0), bands("d", corner)]) for corner in (200.0, 900.0))
    # where both all-passes differ by half a turn, parts of another phase cancel
    x = tone(430, -12, 6.0)
    audition = Listener(before, {"mix": ArraySource(x, RATE_HZ)})
    ear = Ear(audition)
    ear.listen(2 * RATE_HZ)
    audition.change(after, 1, ear.heard)
    first = ear.heard + 4800
    ear.listen(RATE_HZ)
    wanted = print_of(after, x)[:, first : ear.heard]
    assert level_db(ear.now[:, first : ear.heard] - wanted) < level_db(wanted) - 60


def test_a_second_change_within_a_fade_is_warmed_by_all_that_went_by():
    """A linear-phase stage that is built at the end of a fade in the middle of a block hears that block as well."""
    recipes = [recipe_of(linear("e", gain_db, low=True)) for gain_db in (0.0, 3.0, -3.0)]
    recipes[1] = recipe_of({**linear("e", 3.0), "channels": "stereo", "on": False})
    x = noise(-20, 4.0)
    graph = Graph(recipes[0], RATE_HZ)
    run(graph, x[:, : 2 * RATE_HZ])
    at = 2 * RATE_HZ
    for recipe, frames in ((recipes[1], 100), (recipes[2], 48000)):
        assert goes_to(graph, recipe)
        out = run(graph, x[:, at : at + frames], at)
        at += frames
    wanted = print_of(recipes[2], x)
    heard = slice(at - 40000 - graph.delay, at - graph.delay)
    assert level_db(out[:, -40000:] - wanted[:, heard]) < level_db(wanted) - 60


@pytest.mark.parametrize("channels", ["mid", "side"])
@pytest.mark.parametrize("back", [False, True])
def test_the_first_band_on_mid_or_side_finds_the_others_as_they_were(channels, back):
    """Sections are linear: what they remember of left and right is, added up, what they remember of mid and side."""
    hum = {"id": "hum", "hz": 50, "shape": "notch", "q": 2}
    low = {"id": "low", "hz": 60, "shape": "low_shelf", "gain_db": 4}
    added = {"id": "new", "hz": 9000, "channels": channels, "gain_db": 0.02}
    plain, more = (
        recipe_of({"id": "e", "kind": "equalizer", "params": {"bands": [hum, low, *one]}}) for one in ([], [added])
    )
    before, after = (more, plain) if back else (plain, more)
    rng = np.random.default_rng(5)
    x = tone(50, -6, 3.0) * np.array([[1.0], [0.4]]) + 0.01 * rng.standard_normal((2, 3 * RATE_HZ))
    graph = Graph(before, RATE_HZ)
    run(graph, x[:, : 2 * RATE_HZ])
    assert goes_to(graph, after)
    out = run(graph, x[:, 2 * RATE_HZ :], 2 * RATE_HZ)
    wanted = print_of(after, x)[:, 2 * RATE_HZ :]
    # the notch took its hum out by 100 dB; the new band alone changes 0.02 dB of what is left
    assert level_db(out[:, 480:] - wanted[:, 480:]) < level_db(wanted) - 90
