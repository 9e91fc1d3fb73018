"""The wrapper's promises for every stage, and the road through buses, groups and master."""

import numpy as np
import pytest

from tests.conftest import RATE_HZ, goes_to, music, noise, recipe_of, run, tone
from tin_kettle.core.engine.graph.graph import Graph
from tin_kettle.core.engine.offline import render
from tin_kettle.core.engine.source import ArraySource
from tin_kettle.core.errors import AudioError, Cancelled, RecipeError

WORKING = {
    "trim": {"gain_db": -3.0, "balance": 0.2},
    "filter": {"high_pass_on": True, "high_pass_hz": 200, "low_pass_on": True, "low_pass_hz": 6000},
    "compressor": {"threshold_db": -30, "ratio": 4, "makeup_db": 3, "lookahead_ms": 2},
    "limiter": {"gain_db": 9},
}
MIXABLE = [kind for kind in WORKING if kind != "limiter"]


def rendered(recipe, sources, **more):
    if not isinstance(sources, dict):
        sources = {"mix": sources}
    given = {name: ArraySource(samples, RATE_HZ) for name, samples in sources.items()}
    return np.concatenate(list(render(recipe, given, **more)), axis=1)


def stage(kind, **fields):
    return {"id": kind, "kind": kind, "params": WORKING[kind], **fields}


def mid_side(x):
    return 0.5 * (x[0] + x[1]), 0.5 * (x[0] - x[1])


def test_an_empty_chain_copies_bit_for_bit():
    x = music(0.3)
    np.testing.assert_array_equal(rendered(recipe_of(), x), x)


@pytest.mark.parametrize("kind", WORKING)
def test_off_and_neutral_stages_are_transparent(kind):
    x = music(0.3)
    x *= 0.8 / np.abs(x).max()
    np.testing.assert_array_equal(rendered(recipe_of(stage(kind, on=False)), x), x)
    if kind in MIXABLE:
        np.testing.assert_allclose(rendered(recipe_of(stage(kind, mix=0.0)), x), x, atol=1e-12)
    neutral = {"kind": kind, "params": {"ratio": 1} if kind == "compressor" else {}}
    np.testing.assert_allclose(rendered(recipe_of(neutral), x), x, atol=1e-12)


@pytest.mark.parametrize("kind", WORKING)
def test_every_stage_is_aligned_as_long_as_its_input_and_blind_to_block_sizes(kind):
    x = music(0.4)
    recipe = recipe_of(stage(kind))
    whole = rendered(recipe, x)
    assert whole.shape == x.shape
    for block in (100, 4096):
        np.testing.assert_allclose(rendered(recipe, x, block_frames=block), whole, atol=1e-12)
    if kind != "filter":  # a filter's own phase is no misalignment
        lag = np.argmax(np.correlate(whole[0, 2000:12000], x[0, 2000:12000], "full")) - 9999
        assert lag == 0


@pytest.mark.parametrize("kind", MIXABLE)
@pytest.mark.parametrize("channels", ["mid", "side", "left", "right"])
def test_the_component_left_alone_passes_untouched(kind, channels):
    x = music(0.3)
    out = rendered(recipe_of(stage(kind, channels=channels)), x)
    if channels in ("left", "right"):
        row = 1 if channels == "left" else 0
        np.testing.assert_array_equal(out[row], x[row])
        assert np.abs(out[1 - row] - x[1 - row]).max() > 1e-3
    else:
        other = 1 if channels == "mid" else 0
        np.testing.assert_allclose(mid_side(out)[other], mid_side(x)[other], atol=1e-15)
        assert np.abs(mid_side(out)[1 - other] - mid_side(x)[1 - other]).max() > 1e-3


def test_a_hard_left_tone_reads_six_less_in_mid_and_side():
    x = tone(1000, 0, 0.5)
    x[1] = 0
    for channels in ("mid", "side"):
        graph = Graph(recipe_of(stage("compressor", channels=channels)), RATE_HZ)
        graph.meter(True)
        run(graph, x)
        assert next(graph.nodes()).reading.rows["heard_db"][1].max() == pytest.approx(-6.02, abs=0.01)


@pytest.mark.parametrize("kind", MIXABLE)
def test_mix_is_the_weighted_sum_of_dry_and_wet(kind):
    x = music(0.3)
    wet = rendered(recipe_of(stage(kind)), x)
    half = rendered(recipe_of(stage(kind, mix=0.3)), x)
    np.testing.assert_allclose(half, 0.7 * x + 0.3 * wet, atol=1e-12)


@pytest.mark.parametrize("kind", WORKING)
def test_what_it_removes_is_input_times_static_gain_less_output(kind):
    x = music(0.3)
    static = {"trim": -3.0, "compressor": 3.0, "limiter": 9.0}.get(kind, 0.0)
    recipe = recipe_of(stage(kind), {"kind": "compressor", "params": {"lookahead_ms": 5, "ratio": 1}})
    graph = Graph(recipe, RATE_HZ)
    graph.tap(kind, "removed")
    padded = np.concatenate([x, np.zeros((2, graph.delay))], axis=1)
    tapped = run(graph, padded)[:, graph.delay :]
    out = rendered(recipe_of(stage(kind)), x)
    np.testing.assert_allclose(tapped, 10 ** (static / 20) * x - out, atol=1e-12)


def test_the_detector_is_heard_in_time():
    heard = {"id": "c", "kind": "compressor", "params": {"lookahead_ms": 3, "detector_filters": [{"hz": 2000}]}}
    graph = Graph(recipe_of(heard, stage("limiter")), RATE_HZ)
    graph.tap("c", "detector")
    x = np.zeros((2, 9600))
    x[:, 3000] = 1.0
    out = run(graph, x)
    assert np.argmax(np.abs(out[0])) == 3000 + graph.delay
    low = Graph(recipe_of(heard), RATE_HZ)
    low.tap("c", "detector")
    assert np.abs(run(low, tone(60, -6, 0.5))[:, 9600:]).max() < 1e-2


GROUPED = {
    "buses": [
        {"id": "drums", "gain_db": -6, "pan": 0.5, "chain": [{"id": "d", "kind": "limiter"}]},
        {"id": "bass", "group": "low", "chain": [{"id": "b", "kind": "compressor", "params": {"lookahead_ms": 7}}]},
        {"id": "keys", "group": "low", "muted": True},
        {"id": "voices"},
    ],
    "groups": [
        {"id": "low", "gain_db": 3, "group": "all", "chain": [{"id": "g", "kind": "trim", "params": {"gain_db": 1}}]},
        {"id": "all", "chain": [{"id": "a", "kind": "compressor", "params": {"lookahead_ms": 2, "ratio": 1}}]},
    ],
}


def test_buses_and_groups_sum_aligned():
    buses = {name: np.zeros((2, 4800)) for name in ("drums", "bass", "keys", "voices")}
    for samples in buses.values():
        samples[:, 1000] = 0.05
    out = rendered(recipe_of(**GROUPED), buses)
    drums = 0.05 * 10 ** (-6 / 20)
    low = 0.05 * 10 ** (4 / 20)
    np.testing.assert_allclose(out[:, 1000], [drums * 0.5 + low + 0.05, drums + low + 0.05], rtol=1e-9)
    out[:, 1000] = 0
    assert np.abs(out).max() < 1e-9


def test_shorter_sources_are_padded_and_tails_added():
    recipe = recipe_of(buses=[{"id": "a"}, {"id": "b"}])
    out = rendered(recipe, {"a": np.ones((2, 100)), "b": np.ones((2, 250))}, last=280)
    assert out.shape == (2, 280)
    assert (out[0, 50], out[0, 200], out[0, 270]) == (2.0, 1.0, 0.0)


def test_sources_that_do_not_fit_are_refused():
    two = recipe_of(buses=[{"id": "a"}, {"id": "b"}])
    here, there = ArraySource(np.ones((2, 9)), 48000), ArraySource(np.ones((2, 9)), 44100)
    with pytest.raises(AudioError, match=r"rates differ .a 48000 Hz, b 44100 Hz.*bounce all at one rate"):
        list(render(two, {"a": here, "b": there}))
    with pytest.raises(RecipeError, match="bus 'b' has no file"):
        list(render(two, {"a": here}))
    with pytest.raises(RecipeError, match="no bus 'c'"):
        list(render(two, {"a": here, "b": here, "c": here}))


def test_rendering_reports_progress_and_can_be_stopped():
    shares = []
    rendered(recipe_of(), noise(-20, 1.0), block_frames=4800, progress=shares.append)
    assert shares == sorted(shares)
    assert shares[-1] == 1.0

    def stop(share):
        if share > 0.4:
            raise Cancelled("stopped")

    with pytest.raises(Cancelled):
        rendered(recipe_of(), noise(-20, 1.0), block_frames=4800, progress=stop)


def heard_above_4k_db(y):
    spectrum = np.fft.rfft(y * np.hanning(y.size))
    spectrum[: int(4000 * y.size / RATE_HZ)] = 0
    return 20 * np.log10(np.abs(np.fft.irfft(spectrum, y.size)).max() / np.abs(y).max())


MOVES = [
    ("trim", {"gain_db": 0}, {"gain_db": 12}),
    ("trim", {"invert_left": False}, {"invert_left": True}),
    ("filter", {"high_pass_on": True, "high_pass_hz": 20}, {"high_pass_on": True, "high_pass_hz": 900}),
    ("filter", {"high_pass_on": True, "high_pass_slope": 12}, {"high_pass_on": True, "high_pass_slope": 96}),
    ("filter", {}, {"low_pass_on": True, "low_pass_hz": 500}),
    ("compressor", {"threshold_db": 0}, {"threshold_db": -40}),
    ("compressor", {"makeup_db": -6}, {"makeup_db": 12}),
    ("limiter", {"gain_db": 0}, {"gain_db": 12}),
]


@pytest.mark.parametrize(("kind", "before", "after"), MOVES)
def test_a_moved_control_does_not_click(kind, before, after):
    graph = Graph(recipe_of({"id": "x", "kind": kind, "params": before}), RATE_HZ)
    x = tone(700, -12, 1.0)
    out = []
    for number, at in enumerate(range(0, x.shape[1], 1024)):
        if number == 15:
            assert goes_to(graph, recipe_of({"id": "x", "kind": kind, "params": after}))
        out.append(run(graph, np.ascontiguousarray(x[:, at : at + 1024])))
    y = np.concatenate(out, axis=1)[0, 2048:]
    assert heard_above_4k_db(y) < -75


def test_changes_land_at_the_same_sample_whatever_the_blocks_and_the_last_one_counts():
    def play(block):
        graph = Graph(recipe_of(stage("compressor")), RATE_HZ)
        x, out = music(0.5), []
        for at in range(0, 24000, block):
            if at % 6000 == 0:
                for gain in (2.0, 3.0, at / 6000):
                    changed = {**WORKING["compressor"], "makeup_db": gain}
                    assert goes_to(graph, recipe_of({**stage("compressor"), "params": changed}))
            out.append(run(graph, np.ascontiguousarray(x[:, at : at + block])))
        assert next(graph.nodes()).stage.params.makeup_db == 3.0
        return np.concatenate(out, axis=1)

    np.testing.assert_allclose(play(6000), play(125), atol=1e-12)


def test_another_structure_or_delay_is_not_a_mere_change():
    graph = Graph(recipe_of(stage("compressor")), RATE_HZ)
    longer = {**WORKING["compressor"], "lookahead_ms": 9}
    assert not goes_to(graph, recipe_of({**stage("compressor"), "params": longer}))
    assert not goes_to(graph, recipe_of(stage("compressor"), stage("trim")))
    with pytest.raises(RecipeError, match="above what 8000 Hz carries"):
        heard = {"kind": "compressor", "params": {"detector_filters": [{"hz": 9000}]}}
        Graph(recipe_of(heard), 8000)
