"""Dynamic equalizer: the contract's move, exact shapes at rest and moved, transparent where nothing moves."""

import numpy as np
import pytest

from tests.conftest import RATE_HZ, noise, recipe_of, run, tone
from tin_kettle.core.dsp.dynamic_curves import sections_by_gain
from tin_kettle.core.dsp.dynamic_filters import gain_tables, moving_section
from tin_kettle.core.dsp.svf import svf_response
from tin_kettle.core.engine.graph.graph import Graph
from tin_kettle.core.stages.dynamic_equalizer import MovingBand, band_curve_db

SHAPES = ["bell", "low_shelf", "high_shelf", "flat_top"]


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


def plain_section(x, sections):
    """The filter by its definition, with the section that each sample has; integrators are carried over."""
    out, first, second = [], 0.0, 0.0
    for value, (g, k, c0, c1, c2) in zip(x, sections, strict=True):
        a1 = 1 / (1 + g * (g + k))
        v1 = a1 * first + g * a1 * (value - second)
        v2 = second + g * v1
        first, second = 2 * v1 - first, 2 * v2 - second
        out.append(c0 * (value - k * v1 - v2) + c1 * v1 + c2 * v2)
    return np.array(out)


@pytest.mark.parametrize("shape", SHAPES)
def test_the_kernel_is_its_plain_twin_and_at_nought_gives_back_every_bit(shape):
    x = noise(-12, 0.05)[0]
    moves_db = -6 + 6 * np.sin(np.arange(x.size) / 50)
    tables = gain_tables(shape, 900, 1.3, 3.0, -12.0, RATE_HZ)
    exact = sections_by_gain(shape, 900, 1.3, 3.0 + moves_db, RATE_HZ)
    made, one, plain = np.stack([x, -0.5 * x]), np.stack([x, x]), x
    for number, table in enumerate(tables):
        moving_section(made, 2, table, moves_db, -12.0, np.zeros((2, 2)))
        moving_section(one, 1, table, moves_db, -12.0, np.zeros((2, 2)))
        plain = plain_section(plain, exact[:, number])
    np.testing.assert_allclose(made[1], -0.5 * made[0], atol=1e-15)
    np.testing.assert_array_equal(one, [made[0], x])
    # between two rows of the table it is a straight line in place of the curve
    assert np.abs(made[0] - plain).max() < 1e-4 * np.abs(x).max()
    still = np.stack([x, x])
    for table in gain_tables(shape, 900, 1.3, 0.0, 9.0, RATE_HZ):
        moving_section(still, 2, table, np.zeros(x.size), 9.0, np.zeros((2, 2)))
    np.testing.assert_array_equal(still, [x, x])


def analogue_db(shape, hz, q, gain_db, at_hz):
    s, a = 1j * at_hz / hz, 10 ** (gain_db / 40)
    root = a**0.5
    if shape == "bell":
        top, bottom = s * s + s * a / q + 1, s * s + s / (a * q) + 1
    elif shape == "low_shelf":
        top, bottom = a * (s * s + s * root / q + a), a * s * s + s * root / q + 1
    else:
        top, bottom = a * (a * s * s + s * root / q + 1), s * s + s * root / q + a
    return 20 * np.log10(np.abs(top / bottom))


@pytest.mark.parametrize("rate_hz", [44100, 48000, 96000])
@pytest.mark.parametrize("shape", SHAPES[:3])
def test_whatever_its_gain_is_it_has_the_analogue_curve_at_every_rate(shape, rate_hz):
    at_hz = np.geomspace(20, 16000, 150)
    gains_db = np.array([-24, -13.3, -5, -0.6, 0.4, 3, 7.7, 12, 19, 24])
    for hz in (40, 800, 5000, 9000, 12000, 14000, 16000):
        for q in (0.3, 0.707, 2, *([8] if shape == "bell" else [])):
            sections = sections_by_gain(shape, hz, q, gains_db, rate_hz)
            for gain_db, rows in zip(gains_db, sections, strict=True):
                found = 20 * np.log10(np.abs(svf_response(rows, at_hz, rate_hz)))
                assert np.abs(found - analogue_db(shape, hz, q, gain_db, at_hz)).max() < 0.3, (hz, q, gain_db)


@pytest.mark.parametrize("shape", SHAPES)
def test_a_gain_has_one_curve_however_far_it_may_move(shape):
    alone = sections_by_gain(shape, 9000, 1.2, np.array([-7.3]), RATE_HZ)
    among = sections_by_gain(shape, 9000, 1.2, np.array([12.0, -7.3, 0.0, -24.0]), RATE_HZ)
    np.testing.assert_allclose(alone[0], among[1], rtol=1e-12)


@pytest.mark.parametrize("rate_hz", [44100, 96000])
@pytest.mark.parametrize("q", [0.2, 0.5, 1, 4, 20])
def test_a_flat_top_is_flat_reaches_its_gain_and_has_steep_edges(q, rate_hz):
    hz = 1000
    for gain_db in (-24, -6, 3, 12, 24):
        pin = MovingBand(id="p", hz=hz, shape="flat_top", q=q)
        assert band_curve_db(pin, gain_db, np.array([hz]), rate_hz) == pytest.approx(gain_db, abs=0.01)
        middle = hz * 2 ** np.linspace(-0.25 / q, 0.25 / q, 31)
        assert np.abs(band_curve_db(pin, gain_db, middle, rate_hz) - gain_db).max() < 0.1
        edges = hz * 2 ** np.array([-0.5 / q, 0.5 / q])
        inside = edges[edges < 0.45 * rate_hz]
        assert band_curve_db(pin, gain_db, inside, rate_hz) == pytest.approx(gain_db / 2, abs=0.01)
        # what is left an octave and two beyond the lower edge, as an amplitude beside 1, falls by 24 dB at least
        below = band_curve_db(pin, gain_db, edges[0] / np.array([2.0, 4.0]) / 2 ** (0.5 / q), rate_hz)
        left = np.abs(10 ** (below / 20) - 1)
        assert left[1] < left[0] / 15.8 or left[1] < 1e-9


@pytest.mark.parametrize("shape", SHAPES)
def test_what_moves_is_as_loud_at_every_rate(shape):
    pin = {"shape": shape, "hz": 12000, "q": 2, "range_db": -9, "threshold_db": -40, "ratio": 2}
    at_hz = 12000 * (1.05 if shape == "high_shelf" else 0.95)
    moved = []
    for rate_hz in (44100, 48000, 96000):
        graph = Graph(recipe_of(stage(pin)), rate_hz)
        block = tone(at_hz, -26, 1.0, rate_hz)
        out = run(graph, np.concatenate([block, np.zeros((2, graph.delay))], axis=1))[:, graph.delay :]
        moved.append(10 * np.log10(np.mean(out[0, -20000:] ** 2) / np.mean(block[0, -20000:] ** 2)))
    assert max(moved) - min(moved) < 0.3
    assert moved[0] < -3


@pytest.mark.parametrize("shape", SHAPES)
@pytest.mark.parametrize("gain_db", [-9.0, 6.0])
def test_at_rest_it_is_the_curve_that_is_drawn(shape, gain_db):
    impulse = np.zeros((2, 1 << 15))
    impulse[:, 50] = 1.0
    out = played(impulse, {"shape": shape, "gain_db": gain_db, "q": 1.4})
    hz = np.fft.rfftfreq(1 << 15, 1 / RATE_HZ)[20:14000]
    found = 20 * np.log10(np.abs(np.fft.rfft(out[0]))[20:14000])
    drawn = band_curve_db(MovingBand(id="p", hz=1000, shape=shape, gain_db=gain_db, q=1.4), gain_db, hz, RATE_HZ)
    assert np.abs(found - drawn).max() < 0.02


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
    assert MovingBand(id="p", hz=100).times_ms == pytest.approx((50, 250))
    assert MovingBand(id="p", hz=10000).times_ms == pytest.approx((1, 20))
    assert MovingBand(id="p", hz=20).times_ms == pytest.approx((60, 400))


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
