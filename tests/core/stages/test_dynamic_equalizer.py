"""Dynamic equalizer: the contract's move, exact shapes at rest and moved, transparent where nothing moves."""

import numpy as np
import pytest

from tests.conftest import RATE_HZ, noise, recipe_of, run, tone
from tin_kettle.core.dsp.moving_filters import BELL, HIGH_SHELF, LOW_SHELF, moving_section, shelf_response
from tin_kettle.core.engine.graph.graph import Graph
from tin_kettle.core.stages.dynamic_equalizer import Pin, pin_curve_db


def stage(*pins, **more):
    return {
        "kind": "dynamic_equalizer",
        "params": {"bands": [{"id": f"p{i}", "hz": 1000, **p} for i, p in enumerate(pins)]},
        **more,
    }


def played(block, *pins):
    graph = Graph(recipe_of(stage(*pins)), RATE_HZ)
    return run(graph, np.concatenate([block, np.zeros((2, graph.delay))], axis=1))[:, graph.delay :]


def tone_gain_db(hz, peak_db, *pins, seconds=2.0):
    out = played(tone(hz, peak_db, seconds), *pins)
    return 10 * np.log10(np.mean(out[0, -24000:] ** 2) * 2) - peak_db


def plain_section(x, shape, w, q, gains_db):
    """The section by its definition: the bell or shelf of each sample's gain, integrators carried over."""
    out, ic1, ic2 = [], 0.0, 0.0
    for value, gain_db in zip(x, gains_db, strict=True):
        a = 10 ** (gain_db / 40)
        if shape == BELL:
            g, k, m = w, 1 / (q * a), (1, (a * a - 1) / (q * a), 0)
        elif shape == LOW_SHELF:
            g, k, m = w / a**0.5, 1 / q, (1, (a - 1) / q, a * a - 1)
        else:
            g, k, m = w * a**0.5, 1 / q, (a * a, (1 - a) * a / q, 1 - a * a)
        a1 = 1 / (1 + g * (g + k))
        v1 = a1 * ic1 + g * a1 * (value - ic2)
        v2 = ic2 + g * v1
        ic1, ic2 = 2 * v1 - ic1, 2 * v2 - ic2
        out.append(m[0] * value + m[1] * v1 + m[2] * v2)
    return np.array(out)


@pytest.mark.parametrize("shape", [BELL, LOW_SHELF, HIGH_SHELF])
def test_the_kernel_is_its_plain_twin_and_at_nought_gives_back_every_bit(shape):
    x = noise(-12, 0.05)[0]
    gains_db = 12 * np.sin(np.arange(x.size) / 50)
    w = np.tan(np.pi * 900 / RATE_HZ)
    made = np.stack([x, -0.5 * x])
    moving_section(made, 2, shape, w, 1.3, 2.0 * (gains_db - 3.0), 0.5, 3.0, np.zeros((2, 2)))
    plain = plain_section(x, shape, w, 1.3, gains_db)
    np.testing.assert_allclose(made, [plain, -0.5 * plain], atol=1e-11)
    one = np.stack([x, x])
    moving_section(one, 1, shape, w, 1.3, 2.0 * (gains_db - 3.0), 0.5, 3.0, np.zeros((2, 2)))
    np.testing.assert_array_equal(one, [made[0], x])
    still = np.stack([x, x])
    moving_section(still, 2, shape, w, 1.3, np.zeros(x.size), 1.0, 0.0, np.zeros((2, 2)))
    np.testing.assert_array_equal(still, [x, x])


@pytest.mark.parametrize("shape", ["bell", "low_shelf", "high_shelf", "flat_top"])
@pytest.mark.parametrize("gain_db", [-9.0, 6.0])
def test_at_rest_it_is_the_curve_that_is_drawn(shape, gain_db):
    impulse = np.zeros((2, 1 << 15))
    impulse[:, 50] = 1.0
    out = played(impulse, {"shape": shape, "gain_db": gain_db, "q": 1.4})
    hz = np.fft.rfftfreq(1 << 15, 1 / RATE_HZ)[20:14000]
    found = 20 * np.log10(np.abs(np.fft.rfft(out[0]))[20:14000])
    drawn = pin_curve_db(Pin(id="p", hz=1000, shape=shape, gain_db=gain_db, q=1.4), gain_db, hz, RATE_HZ)
    assert np.abs(found - drawn).max() < 0.02


def test_shapes_are_those_of_the_contract():
    hz = np.array([20.0, 500.0, 1000.0, 2000.0, 15000.0])
    bell = 20 * np.log10(np.abs(shelf_response(BELL, 1000, 1.0, 12, hz, RATE_HZ)))
    s = 1j * hz / 1000
    a = 10 ** (12 / 40)
    ideal = 20 * np.log10(np.abs((s * s + s * a + 1) / (s * s + s / a + 1)))
    assert np.abs(bell - ideal)[:4].max() < 0.1
    low = 20 * np.log10(np.abs(shelf_response(LOW_SHELF, 1000, 0.707, 12, hz, RATE_HZ)))
    assert low == pytest.approx([12, 11.1, 6, 0.9, 0], abs=0.1)
    flat = pin_curve_db(
        Pin(id="p", hz=1000, shape="flat_top", q=0.5), 12, np.array([100.0, 500.0, 1000.0, 8000.0]), RATE_HZ
    )
    assert flat == pytest.approx([0, 6, 12, 0], abs=0.4)


@pytest.mark.parametrize(
    ("pin", "peak_db", "move_db"),
    [
        ({"range_db": -12, "threshold_db": -30, "ratio": 2}, -20.0, -5.0),
        ({"range_db": -6, "threshold_db": -40, "ratio": 100}, -10.0, -6.0),
        ({"range_db": 6, "threshold_db": -30, "ratio": 2}, -20.0, 5.0),
        ({"range_db": -12, "threshold_db": -30, "ratio": 2}, -40.0, 0.0),
        ({"range_db": 9, "when": "below", "threshold_db": -20, "ratio": 2}, -32.0, 6.0),
        ({"range_db": -9, "when": "below", "threshold_db": -20, "ratio": 100}, -60.0, -9.0),
        ({"range_db": -12, "gain_db": 3, "threshold_db": -30, "ratio": 2}, -20.0, -2.0),
    ],
)
def test_it_moves_as_far_as_the_level_says(pin, peak_db, move_db):
    # the detector stays at the tone's peaks: quick up, slow down
    held = {"timing": "manual", "attack_ms": 0.05, "release_ms": 300}
    assert tone_gain_db(1000, peak_db, {**pin, **held}) == pytest.approx(move_db, abs=0.4)


def test_what_a_pin_does_not_hear_does_not_move_it():
    pin = {"hz": 6000, "q": 4, "range_db": -12, "threshold_db": -40}
    assert abs(tone_gain_db(200, -6, pin)) < 0.02


def test_without_range_and_gain_it_is_transparent():
    block = noise(-12, 0.5)
    np.testing.assert_array_equal(played(block, {"range_db": 0}, {"on": False, "gain_db": 9, "range_db": 9}), block)


def test_side_only_leaves_the_middle_and_times_go_by_frequency():
    block = noise(-12, 1.0)
    out = played(block, {"channels": "side", "gain_db": -9, "range_db": -6, "threshold_db": -60})
    np.testing.assert_allclose(out.sum(axis=0), block.sum(axis=0), atol=1e-12)
    assert Pin(id="p", hz=100).times_ms == pytest.approx((50, 250))
    assert Pin(id="p", hz=10000).times_ms == pytest.approx((1, 20))
    assert Pin(id="p", hz=20).times_ms == pytest.approx((60, 400))


def test_pins_are_read_one_by_one():
    graph = Graph(
        recipe_of(stage({"range_db": -9, "threshold_db": -40, "ratio": 10}, {"hz": 8000, "range_db": -9})), 48000
    )
    graph.meter(True)
    run(graph, tone(1000, -12, 1.0))
    rows = graph.readings()["s0"].rows
    assert rows["level_p0"][1][-1] == pytest.approx(-12, abs=0.1)
    assert rows["effort_p0"][1][-1] == pytest.approx(-9, abs=0.5)
    assert rows["effort_p1"][1][-10:].min() == 0
