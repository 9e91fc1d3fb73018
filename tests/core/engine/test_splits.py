"""Splits: parts that sum to what came, aligned and in phase whatever is in them, heard alone, tapped and keyed."""

import numpy as np
import pytest

from tests import naive
from tests.conftest import RATE_HZ, music, noise, recipe_of, run, tone
from tin_kettle.core.dsp.crossover import Bands, all_passes
from tin_kettle.core.dsp.svf import svf_cascade, svf_response
from tin_kettle.core.engine.graph.graph import Graph
from tin_kettle.core.engine.offline import render
from tin_kettle.core.engine.source import ArraySource
from tin_kettle.core.errors import RecipeError
from tin_kettle.core.listen.listening_settings import Listening, silent_buses


def rendered(recipe, samples, rate_hz=RATE_HZ, **more):
    return np.concatenate(list(render(recipe, {"mix": ArraySource(samples, rate_hz)}, **more)), axis=1)


def split(by, *chains, corners=(), **fields):
    branches = [{"id": f"b{i}", "chain": list(chain)} for i, chain in enumerate(chains)]
    return {
        "id": "s",
        "kind": "split",
        "params": {"by": by, "crossovers_hz": list(corners), "branches": branches},
        **fields,
    }


def look_ahead(ms, name="w"):
    return {"id": name, "kind": "compressor", "params": {"ratio": 1, "lookahead_ms": ms}}


@pytest.mark.parametrize("corners", [(100.0,), (120.0, 2400.0), (60.0, 300.0, 1500.0, 7000.0)])
def test_bands_equal_their_twin_and_sum_to_the_all_passes_to_the_last_digit(corners):
    x = noise(-10, 0.3)
    bands = Bands(corners, RATE_HZ)
    parts = bands.process(x.copy(), {name: array.copy() for name, array in bands.silence.items()})
    for part, wanted in zip(parts, naive.bands(x[0], corners, RATE_HZ), strict=True):
        np.testing.assert_allclose(part[0], wanted, atol=1e-12)
    turned = x.copy()
    svf_cascade(turned, all_passes(corners, RATE_HZ), np.zeros((len(corners), 2, 2)))
    np.testing.assert_allclose(sum(parts), turned, atol=1e-13)


@pytest.mark.parametrize("rate_hz", [44100, 96000])
def test_a_crossover_is_six_down_at_its_corner_and_falls_by_24_an_octave(rate_hz):
    impulse = np.zeros((2, 1 << 16))
    impulse[:, 0] = 1.0
    bands = Bands((500.0,), rate_hz)
    low, high = bands.process(impulse, {n: a.copy() for n, a in bands.silence.items()})
    hz = np.fft.rfftfreq(1 << 16, 1 / rate_hz)
    level = [20 * np.log10(np.abs(np.fft.rfft(part[0])) + 1e-12) for part in (low, high)]
    at = [int(np.argmin(np.abs(hz - wanted))) for wanted in (500, 125, 2000, 4000)]
    assert [row[at[0]] for row in level] == pytest.approx([-6.02, -6.02], abs=0.05)
    assert level[1][at[1]] == pytest.approx(-48, abs=0.4)
    assert level[0][at[3]] - level[0][at[2]] == pytest.approx(-24, abs=1.0)


@pytest.mark.parametrize("by", ["mid_side", "left_right", "bands"])
@pytest.mark.parametrize("waits", [(0, 0), (7, 0), (3, 20)])
def test_parts_sum_flat_and_aligned_whatever_delays_they_hold(by, waits):
    x = music(0.4)
    chains = [[look_ahead(ms, f"w{i}")] if ms else [] for i, ms in enumerate(waits)]
    out = rendered(recipe_of(split(by, *chains, corners=(700,) if by == "bands" else ())), x)
    if by == "bands":
        svf_cascade(x, all_passes([700.0], RATE_HZ), np.zeros((1, 2, 2)))
    np.testing.assert_allclose(out, x, atol=1e-12)


def test_copies_add_plainly_and_branches_have_level_pan_width_and_mute():
    x = music(0.3)
    recipe = recipe_of(split("copies", [], [], []))
    np.testing.assert_allclose(rendered(recipe, x), 3 * x, atol=1e-12)
    stage = split("copies", [], [], [])
    stage["params"]["branches"][0] |= {"gain_db": -6.0, "pan": 0.5, "width": 0.0}
    stage["params"]["branches"][1]["muted"] = True
    mono = x.mean(axis=0) * 10 ** (-6 / 20)
    np.testing.assert_allclose(rendered(recipe_of(stage), x), x + np.stack([0.5 * mono, mono]), atol=1e-12)


def test_a_stage_in_the_side_branch_hears_the_side_alone():
    x = music(0.3)
    squeezed = {"id": "c", "kind": "compressor", "params": {"threshold_db": -30, "ratio": 8}}
    by_split = rendered(recipe_of(split("mid_side", [], [squeezed])), x)
    by_channel = rendered(recipe_of({**squeezed, "channels": "side"}), x)
    np.testing.assert_allclose(by_split, by_channel, atol=1e-12)


CROSSED = split("bands", [], [], corners=(300,))


@pytest.mark.parametrize(
    "stage",
    [
        {**CROSSED, "mix": 0.3},
        {**CROSSED, "mix": 0.0},
        split("copies", [{**CROSSED, "id": "in"}], []),
        split("copies", [{**CROSSED, "id": "in"}], [look_ahead(5)]),
        split("mid_side", [], [{**CROSSED, "id": "in", "mix": 0.5}]),
        {**split("copies", [{**CROSSED, "id": "in"}], []), "mix": 0.4},
        split("bands", [{**split("bands", [], [], corners=(80,)), "id": "in"}], [], corners=(1000,)),
        {**CROSSED, "channels": "side"},
    ],
)
def test_whatever_runs_beside_a_crossover_passes_the_same_all_pass(stage):
    names = iter(range(100))

    def named(one):
        return {
            **one,
            "params": {
                **one["params"],
                "branches": [
                    {
                        **b,
                        "id": f"n{next(names)}",
                        "chain": [named(s) if s["kind"] == "split" else s for s in b["chain"]],
                    }
                    for b in one["params"]["branches"]
                ],
            },
        }

    impulse = np.zeros((2, 1 << 15))
    impulse[0, 4000], impulse[1, 4000] = 1.0, 0.3
    out = rendered(recipe_of(named(stage)), impulse)
    mid, side = out.sum(axis=0) / 2, (out[0] - out[1]) / 2
    for part, level in ((mid, 0.65), (side, 0.35)):
        gain_db = 20 * np.log10(np.abs(np.fft.rfft(part))[30:] / level)
        assert np.ptp(gain_db) < 0.01, "flat"


def test_off_it_is_out_of_the_path():
    x = music(0.2)
    np.testing.assert_array_equal(rendered(recipe_of({**CROSSED, "on": False}), x), x)


def test_what_a_stage_in_a_branch_removes_and_hears_is_in_time():
    x = np.zeros((2, 9600))
    x[:, 3000] = 0.5
    trim = {"id": "t", "kind": "trim", "params": {"invert_left": True}}
    heard = {"id": "c", "kind": "compressor", "params": {"ratio": 1, "lookahead_ms": 4}}
    recipe = recipe_of(split("copies", [trim, heard], [look_ahead(9)]), look_ahead(3, "last"))
    for stage, kind in (("t", "removed"), ("c", "detector")):
        graph = Graph(recipe, RATE_HZ)
        graph.tap(stage, kind)
        out = run(graph, x)
        assert np.argmax(np.abs(out[0])) == 3000 + graph.delay
        assert np.count_nonzero(np.abs(out[0]) > 1e-9) == 1


def test_what_a_split_removes_is_its_input_through_the_same_all_pass_less_its_output():
    x = music(0.4)
    graph = Graph(recipe_of(CROSSED), RATE_HZ)
    graph.tap("s", "removed")
    assert np.abs(run(graph, x)).max() < 1e-12
    loud = split("bands", [{"id": "t", "kind": "trim", "params": {"gain_db": 6}}], [], corners=(300,))
    graph = Graph(recipe_of(loud), RATE_HZ)
    graph.tap("s", "removed")
    low = Bands((300.0,), RATE_HZ)
    part = low.process(x.copy(), {n: a.copy() for n, a in low.silence.items()})[0]
    np.testing.assert_allclose(run(graph, x), part * (1 - 10 ** (6 / 20)), atol=1e-12)


def test_a_tap_that_comes_later_finds_the_dry_sound_in_phase():
    x = music(1.0)
    graph = Graph(recipe_of(CROSSED, look_ahead(2)), RATE_HZ)
    run(graph, x[:, :24000])
    graph.tap("s", "removed")
    assert np.abs(run(graph, x[:, 24000:], 24000)).max() < 1e-9


def test_one_branch_is_heard_alone_for_the_ear_only():
    recipe = recipe_of(split("copies", [], [{"id": "t", "kind": "trim", "params": {"gain_db": -6}}]))
    silent = silent_buses(recipe, Listening(solo=("b1",)))
    assert silent == {"b0"}
    assert silent_buses(recipe, Listening(muted=("b1",))) == {"b1"}
    graph = Graph(recipe, RATE_HZ)
    graph.silence(silent)
    x = tone(1000, -12, 0.3)
    np.testing.assert_allclose(run(graph, x)[:, 2000:], x[:, 2000:] * 10 ** (-6 / 20), atol=1e-12)


def test_a_stage_in_a_branch_ducks_to_another_bus():
    keyed = {
        "id": "c",
        "kind": "compressor",
        "params": {"threshold_db": -30, "ratio": 10, "attack_ms": 1, "key": ["kick"]},
    }
    buses = [{"id": "kick", "muted": True}, {"id": "bass", "chain": [split("copies", [keyed])]}]
    x, hits = tone(200, -12, 1.0), np.zeros((2, RATE_HZ))
    hits[:, 24000:36000] = tone(60, -3, 0.25)
    sources = {"kick": ArraySource(hits, RATE_HZ), "bass": ArraySource(x, RATE_HZ)}
    out = np.concatenate(list(render(recipe_of(buses=buses), sources)), axis=1)
    assert np.abs(out[:, 10000:20000]).max() == pytest.approx(10 ** (-12 / 20), rel=1e-3)
    assert 20 * np.log10(np.abs(out[:, 30000:35000]).max()) < -30


def test_readings_reach_into_branches_and_tell_what_each_gives():
    squeezed = {"id": "c", "kind": "compressor", "params": {"threshold_db": -30, "ratio": 8, "attack_ms": 1}}
    graph = Graph(recipe_of(split("copies", [squeezed], [])), RATE_HZ)
    graph.meter(True)
    run(graph, tone(1000, -12, 0.5))
    found = graph.readings()
    assert set(found) == {"mix", "s", "c", "b0", "b1"}
    assert found["c"].rows["effort_db"][1][-3:] == pytest.approx([-15.75] * 3, abs=0.4)
    levels = [found[name].rows["output_db"][1][-2] for name in ("b0", "b1")]
    assert levels == pytest.approx([-27.75, -12], abs=0.4)


def test_a_change_in_one_branch_leaves_its_neighbour_and_the_split_alone():
    slow = {"id": "c", "kind": "compressor", "params": {"threshold_db": -40, "ratio": 10, "release_ms": 3000}}
    before = recipe_of(split("copies", [slow], [{"id": "t", "kind": "trim"}]))
    after = recipe_of(split("copies", [slow], [{"id": "t", "kind": "trim", "params": {"gain_db": -3}}]))
    graph = Graph(before, RATE_HZ)
    run(graph, tone(1000, -6, 0.5))
    node, inner = graph.node("s"), graph.node("c")
    instances = node.instance, inner.instance
    assert graph.reach(after, frozenset()) is not None
    graph.change(after)
    run(graph, tone(1000, -6, 0.1), 24000)
    assert (graph.node("s").instance, graph.node("c").instance) == instances


@pytest.mark.parametrize(
    ("params", "message"),
    [
        ({"by": "bands", "branches": [{"id": "a"}]}, r"params\.branches: has 1 branches; a split by bands has 2 to 5"),
        ({"by": "mid_side", "branches": [{"id": "a"}] * 1}, r"branches: has 1 branches; a split by mid_side has 2"),
        (
            {"by": "bands", "branches": [{"id": "a"}, {"id": "b"}]},
            r"crossovers_hz: has 0 crossovers; 2 branches by bands",
        ),
        (
            {"by": "copies", "crossovers_hz": [300], "branches": [{"id": "a"}, {"id": "b"}]},
            r"crossovers_hz: has 1 crossovers; 2 branches by copies need 0",
        ),
        (
            {"by": "bands", "crossovers_hz": [900, 300], "branches": [{"id": "a"}, {"id": "b"}, {"id": "c"}]},
            r"crossovers_hz\[1\]: 300 Hz is not above 900 Hz",
        ),
        ({"by": "copies"}, r"params\.branches: is missing; add it"),
        ({"by": "copies", "branches": []}, r"params\.branches: has 0 entries; at least 1"),
        ({"by": "copies", "branches": [{"id": "mix"}]}, r"branches\[0\]\.id: 'mix' is taken by \$\.buses\[0\]"),
        ({"by": "copies", "branches": [{"id": "a", "width": 3}]}, r"branches\[0\]\.width: 3 is out of range"),
        (
            {
                "by": "copies",
                "branches": [{"id": "a", "chain": [{"id": "t", "kind": "trim", "params": {"gain_db": 99}}]}],
            },
            r"\$\.master\[0\]\.params\.branches\[0\]\.chain\[0\]\.params\.gain_db: 99 is out of range; at least -36",
        ),
        (
            {"by": "thirds", "branches": [{"id": "a"}]},
            r"params\.by: \"thirds\" is not allowed; allowed: 'bands', 'copies'",
        ),
    ],
)
def test_splits_are_refused_by_path(params, message):
    with pytest.raises(RecipeError, match=message):
        recipe_of({"id": "s", "kind": "split", "params": params})


def test_splits_nest_four_deep_and_no_deeper():
    def nested(depth):
        inside = [nested(depth - 1)] if depth > 1 else [{"id": "t", "kind": "trim", "params": {"gain_db": 1}}]
        return {"id": f"s{depth}", "kind": "split", "params": {"branches": [{"id": f"b{depth}", "chain": inside}]}}

    x = music(0.1)
    np.testing.assert_allclose(rendered(recipe_of(nested(4)), x), x * 10 ** (1 / 20), atol=1e-12)
    with pytest.raises(RecipeError, match="a split stands inside 4 others; at most 4 deep is allowed"):
        recipe_of(nested(5))


def test_a_corner_above_what_the_rate_carries_is_refused():
    with pytest.raises(RecipeError, match=r"crossovers_hz\[0\]: 9000 Hz is above what 16000 Hz carries"):
        Graph(recipe_of(split("bands", [], [], corners=(9000,))), 16000)


def test_an_all_pass_turns_the_phase_and_nothing_else():
    hz = np.geomspace(20, 20000, 200)
    response = svf_response(all_passes([500.0], RATE_HZ), hz, RATE_HZ)
    np.testing.assert_allclose(np.abs(response), 1.0, atol=1e-12)
