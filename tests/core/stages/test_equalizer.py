"""The equalizer follows the analogue formulas, cancels, keeps components apart and does not click."""

import math

import numpy as np
import pytest

from tests.conftest import RATE_HZ, goes_to, noise, recipe_of
from tests.conftest import run as through
from tests.core.engine.test_graph import heard_above_4k_db
from tin_kettle.core.engine.graph.graph import Graph
from tin_kettle.core.engine.offline import render
from tin_kettle.core.engine.source import ArraySource
from tin_kettle.core.errors import RecipeError
from tin_kettle.core.recipe.describe import describe_stage, stage_response
from tin_kettle.core.stages import linear_phase
from tin_kettle.core.stages.equalizer import KIND, Band, EqualizerParams, build, notes, response

HZ = np.geomspace(8.0, 20000.0, 700)


def prototype(band, hz):
    """The contract's analogue formulas, written down plainly."""
    s, q = 1j * hz / band["hz"], band.get("q", 0.707)
    a = 10 ** (band.get("gain_db", 0) / 40)
    root = np.sqrt(a) / q
    shelf = (a * s * s + root * s + 1) / (s * s + root * s + a)
    return {
        "bell": lambda: (s * s + s * a / q + 1) / (s * s + s / (a * q) + 1),
        "high_shelf": lambda: a * shelf,
        "low_shelf": lambda: a * (s * s + root * s + a) / (a * s * s + root * s + 1),
        "tilt": lambda: shelf,
        "notch": lambda: (s * s + 1) / (s * s + s / q + 1),
        "band_pass": lambda: (s / q) / (s * s + s / q + 1),
        "high_pass": lambda: s * s / (s * s + s / q + 1),
        "low_pass": lambda: 1 / (s * s + s / q + 1),
    }[band["shape"]]()


def equalizer(*bands, **more):
    listed = [{"id": f"b{i}", **band} for i, band in enumerate(bands)]
    return {"id": "eq", "kind": "equalizer", "params": {"bands": listed, **more}}


def run(stage, x, rate_hz=RATE_HZ, **more):
    return np.concatenate(list(render(recipe_of(stage), {"mix": ArraySource(x, rate_hz)}, **more)), axis=1)


def db(x):
    return 20 * np.log10(np.maximum(np.abs(x), 1e-9))


@pytest.mark.parametrize("rate_hz", [44100, 48000])
@pytest.mark.parametrize("shape", ["bell", "low_shelf", "high_shelf", "tilt", "notch", "band_pass", "high_pass"])
@pytest.mark.parametrize(("hz", "q"), [(30, 0.7), (250, 3), (1000, 0.4), (3400, 8), (9000, 0.707), (14000, 1.5)])
def test_curves_are_the_analogue_prototypes(shape, hz, q, rate_hz):
    for gain_db in (-12, -1.8, 6) if shape in ("bell", "low_shelf", "high_shelf", "tilt") else (0,):
        band = {"shape": shape, "hz": hz, "q": q, "gain_db": gain_db, "slope": 12}
        params = EqualizerParams.model_validate({"bands": [{"id": "a", **band}]})
        found = response(params, HZ, rate_hz)[0, 0]
        wanted = db(prototype(band, HZ))
        miss = np.abs(db(found) - wanted) * (wanted > -40)
        assert miss[HZ <= 16000].max() < 0.3, (band, rate_hz)
        assert miss.max() < 0.8, (band, rate_hz)


@pytest.mark.parametrize("shape", ["bell", "low_shelf", "high_shelf", "tilt"])
def test_boost_and_cut_cancel(shape):
    move = {"shape": shape, "hz": 5000, "q": 2}
    x = noise(-20, 0.5)
    out = run(equalizer({**move, "gain_db": 9}, {**move, "gain_db": -9}), x)
    assert np.abs(out - x).max() < 1e-12


def test_what_is_heard_is_the_curve():
    stage = equalizer({"hz": 3400, "gain_db": -4, "q": 2}, {"shape": "low_shelf", "hz": 100, "gain_db": 3})
    impulse = np.zeros((2, 1 << 15))
    impulse[:, 0] = 1.0
    out = run(stage, impulse)
    params = EqualizerParams.model_validate(stage["params"])
    hz = np.fft.rfftfreq(1 << 15, 1 / RATE_HZ)[1:-1]
    np.testing.assert_allclose(np.fft.rfft(out[0])[1:-1], response(params, hz, RATE_HZ)[0, 0], atol=1e-6)


@pytest.mark.parametrize("phase", ["minimum", "linear"])
@pytest.mark.parametrize("channels", ["mid", "side", "left", "right"])
def test_the_component_that_is_not_treated_passes_untouched(channels, phase):
    x = noise(-20, 1.0)
    out = run(equalizer({"hz": 1000, "gain_db": 6, "channels": channels}, phase=phase), x)
    parts = {"mid": (0.5, 0.5), "side": (0.5, -0.5), "left": (1, 0), "right": (0, 1)}
    other = {"mid": "side", "side": "mid", "left": "right", "right": "left"}[channels]
    # a linear-phase filter passes the other row through a unit response: only its transforms round
    assert np.abs(parts[other] @ (out - x)).max() < (1e-16 if phase == "minimum" else 1e-14)
    assert np.abs(parts[channels] @ (out - x)).max() > 0.01


def test_every_row_may_be_treated_at_once():
    moves = [("mid", 1000), ("side", 200), ("left", 4000), ("right", 8000), ("stereo", 60)]
    stage = equalizer(*({"hz": hz, "gain_db": 6, "channels": channels} for channels, hz in moves))
    params = EqualizerParams.model_validate(stage["params"])
    hz = np.array([60.0, 200.0, 1000.0, 4000.0, 8000.0])
    matrix = response(params, hz, RATE_HZ)
    assert db(matrix[0, 0] + matrix[0, 1])[2] == pytest.approx(6, abs=1.2)
    described = stage_response(recipe_of(stage).master[0], hz, RATE_HZ)
    assert described["mid_db"][0] == pytest.approx(described["side_db"][0], abs=1.2)
    assert described["mid_db"][0] == pytest.approx(6, abs=0.7)


def test_linear_phase_is_symmetric_aligned_and_has_the_same_magnitude():
    bands = [{"shape": "high_pass", "hz": 30, "slope": 24}, {"hz": 3400, "gain_db": -6, "q": 4}]
    impulse = np.zeros((2, 1 << 17))
    impulse[:, 1 << 16] = 1.0
    out = run(equalizer(*bands, phase="linear"), impulse)
    centre, reach = 1 << 16, 16000
    np.testing.assert_allclose(
        out[0, centre : centre + reach], out[0, centre - reach + 1 : centre + 1][::-1], atol=1e-15
    )
    params = EqualizerParams.model_validate(equalizer(*bands, phase="linear")["params"])
    hz = np.fft.rfftfreq(1 << 17, 1 / RATE_HZ)
    wanted = db(response(params, hz[1:-1], RATE_HZ)[0, 0])
    miss = np.abs(db(np.fft.rfft(out[0]))[1:-1] - wanted)
    assert miss[hz[1:-1] > 20].max() < 0.15
    assert miss[hz[1:-1] > 30].max() < 0.05


@pytest.mark.parametrize(
    ("bands", "partitions"),
    [
        ([{"hz": 6000, "gain_db": 9, "q": 2}, {"shape": "tilt", "hz": 3000, "gain_db": -4}], 2),
        ([{"hz": 300, "gain_db": -12, "q": 3, "channels": "mid"}, {"hz": 4000, "gain_db": 2}], 8),
        ([{"shape": "low_shelf", "hz": 100, "gain_db": 3}], 4),
        ([{"hz": 40, "gain_db": 6, "q": 2}], 16),
        ([{"hz": 6000, "gain_db": 9}, {"shape": "notch", "hz": 9000, "q": 1}], 16),
        ([{"shape": "high_pass", "hz": 30, "slope": 24}], 16),
        (
            [
                {"hz": 2000, "gain_db": 4, "channels": channels, "q": q}
                for channels, q in (("left", 1), ("right", 1), ("mid", 2), ("side", 2))
            ],
            2,
        ),
    ],
)
def test_a_linear_phase_response_is_as_long_as_there_is_something_of_it(bands, partitions, monkeypatch):
    stage, x = equalizer(*bands, phase="linear"), noise(-10, 1.0)
    params = EqualizerParams.model_validate(stage["params"])
    assert len(build(params, RATE_HZ)._response) == partitions
    short = run(stage, x)
    monkeypatch.setattr(linear_phase, "spread_s", lambda *_: math.inf)
    assert len(build(params, RATE_HZ)._response) == linear_phase.PARTS
    np.testing.assert_allclose(short, run(stage, x), atol=1e-10)


@pytest.mark.parametrize("block", [1, 777, 8192])
def test_linear_phase_does_not_depend_on_the_block(block):
    x = noise(-20, 0.2)
    stage = equalizer({"hz": 1000, "gain_db": 6, "channels": "mid"}, phase="linear")
    frames = 300 if block == 1 else x.shape[1]
    a = run(stage, x[:, :frames], block_frames=block)
    b = run(stage, x[:, :frames], block_frames=4096)
    np.testing.assert_allclose(a, b, atol=1e-12)


def test_a_flat_equalizer_is_bit_exact():
    x = noise(-20, 0.3)
    idle = [{"hz": 100, "gain_db": 0, "channels": "mid"}, {"hz": 9000, "gain_db": 5, "on": False}]
    np.testing.assert_array_equal(run(equalizer(*idle), x), x)
    np.testing.assert_array_equal(run(equalizer(phase="linear"), x), x)


def test_a_low_pass_above_the_rate_is_bypassed_and_other_frequencies_are_refused():
    x = noise(-20, 0.1, rate_hz=32000)
    np.testing.assert_array_equal(run(equalizer({"shape": "low_pass", "hz": 18000}), x, 32000), x)
    with pytest.raises(RecipeError, match=r"bands\[0\].hz: 18000 Hz is above what 32000 Hz carries"):
        run(equalizer({"hz": 18000, "gain_db": 1}), x, 32000)


def test_a_swept_band_neither_clicks_nor_swells():
    def with_hz(hz):
        return recipe_of(equalizer({"hz": hz, "gain_db": 12, "q": 2}))

    t = np.arange(RATE_HZ * 2) / RATE_HZ
    x = np.stack([0.25 * np.sin(2 * np.pi * 440 * t)] * 2)
    graph = Graph(with_hz(100), RATE_HZ)
    out = []
    for i, at in enumerate(range(0, x.shape[1], 1024)):
        assert goes_to(graph, with_hz(round(100 * 1.06**i, 2)))
        out.append(through(graph, x[:, at : at + 1024]))
    heard = np.concatenate(out, axis=1)
    assert heard_above_4k_db(heard[0, 4096:]) < -75
    assert np.abs(heard).max() < 0.25 * 10 ** (12.2 / 20)


def test_a_band_keeps_its_state_when_others_come_and_go():
    one = {"id": "a", "hz": 60, "gain_db": 12, "q": 20}
    other = {"id": "z", "hz": 5000, "gain_db": -3}
    before, after = ({"kind": "equalizer", "params": {"bands": bands}} for bands in ([one], [other, one]))
    graph = Graph(recipe_of(before), RATE_HZ)
    hum = np.stack([0.1 * np.sin(2 * np.pi * 60 * np.arange(RATE_HZ) / RATE_HZ)] * 2)
    through(graph, hum[:, :40000])
    graph.change(recipe_of(after))
    out = through(graph, hum[:, 40000:])
    assert np.abs(out[:, 500:1300]).max() > 0.35, "it rings on at its full height"


def reached_db(band, hz, rate_hz=RATE_HZ):
    """What a linear-phase response really does at a frequency."""
    stage = equalizer(band, phase="linear")
    x = np.zeros((2, rate_hz * 3))
    x[:, rate_hz] = 1.0
    out = run(stage, x, rate_hz)[0]
    turn = np.exp(-2j * np.pi * hz / rate_hz * np.arange(out.size))
    return 20 * np.log10(np.abs(out @ turn))


@pytest.mark.parametrize(
    ("hz", "q", "gain_db"), [(200, 20, 9), (400, 40, 24), (60, 6, 9), (200, 20, -24), (97.3, 9.7, 17)]
)
def test_a_narrow_bell_in_linear_phase_reaches_its_height(hz, q, gain_db):
    band = {"hz": hz, "q": q, "gain_db": gain_db}
    assert reached_db(band, hz) == pytest.approx(gain_db, abs=0.1)


@pytest.mark.parametrize("gain_db", [24, -24])
@pytest.mark.parametrize(("hz", "q"), [(60, 40), (30, 20), (20.5, 12)])
def test_of_what_is_too_narrow_the_curve_drawn_is_the_one_reached(hz, q, gain_db):
    band = {"hz": hz, "q": q, "gain_db": gain_db}
    params = EqualizerParams.model_validate({"phase": "linear", "bands": [{"id": "a", **band}]})
    found = reached_db(band, hz)
    assert abs(found) < 23.5
    drawn = 20 * np.log10(np.abs(response(params, np.array([hz]), RATE_HZ)[0, 0, 0]))
    assert drawn == pytest.approx(found, abs=0.01)
    picture = KIND.picture(params, RATE_HZ)
    assert max(np.abs(picture["plots"]["stereo"])) < 23.5
    assert max(np.abs(picture["bands"]["a"])) < 23.5


@pytest.mark.parametrize("channels", [("mid", "left"), ("side", "stereo"), ("left", "right"), ("mid", "side", "right")])
def test_linear_phase_does_to_left_and_right_what_its_curves_say(channels):
    bands = [{"hz": 300 * 3**i, "gain_db": 6 - 5 * i, "q": 1, "channels": one} for i, one in enumerate(channels)]
    stage = equalizer(*bands, phase="linear")
    hz, at = np.array([100.0, 300.0, 900.0, 2700.0, 12000.0]), RATE_HZ
    turn = np.exp(-2j * np.pi * hz[:, np.newaxis] / RATE_HZ * (np.arange(2 * RATE_HZ) - at))
    found = np.empty((2, 2, hz.size), dtype=np.complex128)
    for row in range(2):
        impulse = np.zeros((2, 2 * RATE_HZ))
        impulse[row, at] = 1.0
        found[:, row] = run(stage, impulse) @ turn.T
    params = EqualizerParams.model_validate(stage["params"])
    np.testing.assert_allclose(found, response(params, hz, RATE_HZ), atol=2e-3)
    still = KIND.build(EqualizerParams(phase="linear"), RATE_HZ)
    assert KIND.build(params, RATE_HZ).delay == still.delay, "whatever its bands treat"


def test_summary_and_notes_speak_plainly():
    def says(*bands):
        return describe_stage(recipe_of(equalizer(*bands)).master[0], RATE_HZ)["summary"]

    assert says({"hz": 3400, "gain_db": -1.8, "channels": "mid"}) == "1.8 dB off around 3.4 kHz, mid only"
    assert says() == "flat"
    assert says({"shape": "high_pass", "hz": 28}, {"hz": 62, "gain_db": -1.4}, {"hz": 9e3, "gain_db": 0.8}) == (
        "3 bands · +0.8 / −1.4 dB"
    )
    loud = [Band(id=f"n{i}", hz=100.0 * (i + 1), gain_db=4.0) for i in range(4)]
    said = notes(EqualizerParams(bands=tuple(loud)))
    assert any("+4 dB at 100 Hz is a large move" in note for note in said)
    assert any("4 boosts" in note for note in said)


def test_bands_need_names_of_their_own():
    twin = {"id": "a", "hz": 100}
    with pytest.raises(RecipeError, match=r"bands\[1\].id: 'a' is taken by another band"):
        recipe_of({"kind": "equalizer", "params": {"bands": [twin, twin]}})
