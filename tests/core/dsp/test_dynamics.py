"""Decibels, detection, curves and the limiter's time course against their plain twins."""

import numpy as np
import pytest

from tests import naive
from tests.conftest import noise
from tin_kettle.core.dsp.decibels import apply_db
from tin_kettle.core.dsp.delay import DelayLine, History
from tin_kettle.core.dsp.detector_levels import LEFT, MID, RIGHT, SIDE, STEREO, heard_levels
from tin_kettle.core.dsp.dynamics import (
    attack_release,
    compression_db,
    compressor_settings,
    keep_stronger,
    mean_square_levels,
    one_pole,
    peak_levels,
    soft_edge,
    soften,
)
from tin_kettle.core.dsp.limiter_gain import STEPS_PER_DB, demand_db, mean_pair, release_db, sliding_maximum
from tin_kettle.core.dsp.multi_gain import attack_release_rows, compression_rows
from tin_kettle.core.dsp.pass_filters import high_pass
from tin_kettle.core.dsp.peaks import HISTORY, LATENCY, interpolator, peaks_between
from tin_kettle.core.dsp.svf import svf_cascade


def test_logarithm_and_exponential_are_exact_enough():
    x = np.concatenate([np.geomspace(1e-9, 1e3, 5000), [1.0, 0.5, 2.0, np.sqrt(0.5), np.sqrt(2.0)]])
    block = np.stack([x, -x])
    level = np.empty_like(block)
    peak_levels(block, level)
    np.testing.assert_allclose(level[0], 20 * np.log10(x), atol=1e-10)
    np.testing.assert_array_equal(level[0], level[1])
    ones = np.ones_like(block)
    apply_db(ones, level, 0.0)
    np.testing.assert_allclose(ones[0], x, rtol=1e-10)


def test_silence_reads_minus_two_hundred_and_no_gain_is_exactly_none():
    level = np.empty((2, 4))
    peak_levels(np.zeros((2, 4)), level)
    np.testing.assert_allclose(level, -200.0, atol=1e-9)
    x = noise(-6, 0.01)
    y = x.copy()
    apply_db(y, np.zeros_like(x), 0.0)
    np.testing.assert_array_equal(x, y)


def test_mean_square_of_a_full_scale_sine_reads_minus_three():
    t = np.arange(48000) / 48000
    x = np.stack([np.sin(2 * np.pi * 1000 * t)] * 2)
    level, state = np.empty_like(x), np.zeros(2)
    mean_square_levels(x, level, np.array([0, 48000]), np.array([one_pole(50, 48000)]), state)
    assert level[0, -4800:].mean() == pytest.approx(-3.01, abs=0.02)


def test_one_row_of_levels_is_the_louder_of_two():
    x = np.random.default_rng(8).standard_normal((2, 400))
    both, louder = np.empty((2, 400)), np.empty((1, 400))
    peak_levels(x, both)
    peak_levels(x, louder)
    np.testing.assert_array_equal(louder[0], both.max(axis=0))
    steps, shares = np.array([0, 150, 400]), np.array([0.01, 0.2])
    mean_square_levels(x, both, steps, shares, np.zeros(2))
    mean_square_levels(x, louder, steps, shares, np.zeros(2))
    np.testing.assert_array_equal(louder[0], both.max(axis=0))


@pytest.mark.parametrize("rate_hz", [8000, 44100, 48000, 192000])
def test_softening_is_a_symmetrical_mean_that_leaves_steady_gains_alone(rate_hz):
    weights = soft_edge(rate_hz)
    np.testing.assert_allclose(weights, weights[::-1], atol=1e-15)
    past = len(weights) - 1
    x = np.random.default_rng(9).standard_normal((2, 1500))
    wanted = [np.convolve(np.concatenate([np.zeros(past), row]), weights, "valid") for row in x]
    whole = x.copy()
    soften(whole, weights, np.zeros((2, past)))
    np.testing.assert_allclose(whole, wanted, atol=1e-14)
    state, parts = np.zeros((2, past)), []
    for at in range(0, 1500, 7):
        part = np.ascontiguousarray(x[:, at : at + 7])
        soften(part, weights, state)
        parts.append(part)
    np.testing.assert_allclose(np.concatenate(parts, axis=1), whole, atol=1e-14)
    steady = np.full((1, 3000), -6.0)
    soften(steady, weights, np.full((2, past), -6.0))
    np.testing.assert_allclose(steady, -6.0, atol=1e-13)


@pytest.mark.parametrize("delay", [1, 12, 100])
def test_a_delay_line_is_the_same_in_any_blocks_and_a_fork_goes_on_alone(delay):
    x = np.random.default_rng(10).standard_normal((2, 300))
    wanted = np.concatenate([np.zeros((2, delay)), x], axis=1)[:, :300]
    line, past, parts, at = DelayLine(delay), History(delay), [], 0
    for run in (1, 40, 9, 150, 100):
        block = np.ascontiguousarray(x[:, at : at + run])
        line.fork().push(-block)
        past.fork().push(-block)
        past.push(block)
        parts.append(line.push(block))
        at += run
        np.testing.assert_array_equal(past.heard(), x[:, max(0, at - delay) : at])
    np.testing.assert_array_equal(np.concatenate(parts, axis=1), wanted)
    np.testing.assert_array_equal(line.heard(), x[:, -delay:])


@pytest.mark.parametrize("knee", [0.0, 6.0, 24.0])
@pytest.mark.parametrize("ratio", [1.0, 2.0, 100.0])
def test_static_curve_equals_its_twin(knee, ratio):
    level = np.linspace(-80, 6, 500)
    target = np.stack([level, level])
    curves = np.array([[-18.0, 1 / ratio - 1, knee, 9.0], [-30.0, 1 / ratio - 1, knee, 3.0]])
    compression_db(target, np.array([0, 400, 500]), curves)
    wanted = [naive.static_gain_db(x, -18.0, ratio, knee, 9.0) for x in level[:400]]
    wanted += [naive.static_gain_db(x, -30.0, ratio, knee, 3.0) for x in level[400:]]
    np.testing.assert_allclose(target[0], wanted, atol=1e-12)


def test_what_is_set_comes_to_the_kernels_as_shares_a_sample_and_a_curve():
    values = np.array([[10.0, 30.0, 100.0, -18.0, 4.0, 6.0, 12.0], [1.0, 0.1, 20.0, -30.0, 1.0, 0.0, 60.0]])
    mean, shares, curves = np.empty(2), np.empty((2, 4)), np.empty((2, 4))
    compressor_settings(values, np.array([1.0, 20.0]), 4000.0, 48000.0, mean, shares, curves)
    times = [[30.0, 100.0, 2000.0, 4000.0], [0.1, 20.0, 400.0, 4000.0]]
    np.testing.assert_allclose(mean, [one_pole(time_ms, 48000) for time_ms in (10.0, 1.0)], rtol=1e-14)
    np.testing.assert_allclose(shares, [[one_pole(time_ms, 48000) for time_ms in row] for row in times], rtol=1e-14)
    np.testing.assert_array_equal(curves, [[-18.0, -0.75, 6.0, 12.0], [-30.0, 0.0, 0.0, 60.0]])


def test_attack_and_release_cover_63_percent_in_their_time():
    gain = np.concatenate([np.full(48000, -10.0), np.zeros(48000)])
    pair, state = np.stack([gain, gain]), np.zeros(2)
    shares = np.array([[one_pole(30, 48000), one_pole(100, 48000)]])
    attack_release(pair, np.array([0, 96000]), shares, state)
    assert pair[0, round(0.030 * 48000) - 1] == pytest.approx(-10 * (1 - np.exp(-1)), rel=1e-6)
    assert pair[0, 48000 + round(0.100 * 48000) - 1] == pytest.approx(-10 * np.exp(-1), rel=1e-6)


@pytest.mark.parametrize(("attack", "release"), [(0.3, 0.001), (0.001, 0.3), (0.05, 0.05)])
def test_attack_and_release_equal_their_twin_whichever_is_the_quicker(attack, release):
    target = -10 * np.random.default_rng(11).random(3000)
    pair = np.stack([target, target])
    attack_release(pair, np.array([0, 1000, 3000]), np.array([[attack, release], [release, attack]]), np.zeros(2))
    gain, wanted = 0.0, []
    for i, x in enumerate(target):
        down, up = (attack, release) if i < 1000 else (release, attack)
        gain += (down if x < gain else up) * (x - gain)
        wanted.append(gain)
    np.testing.assert_allclose(pair[1], wanted, atol=1e-12)


@pytest.mark.parametrize("rows", [1, 2, 3, 4, 5, 9])
def test_many_rows_are_what_each_is_by_itself_in_blocks_of_any_size(rows):
    rng = np.random.default_rng(12)
    level = rng.uniform(-60, 0, (rows, 700))
    curves = np.stack(
        [rng.uniform(-40, 40, rows), rng.uniform(-1, 0, rows), np.zeros(rows), np.full(rows, 9.0)], axis=1
    )
    ways, shares = rng.choice([-1.0, 1.0], rows), rng.uniform(0.001, 0.3, (rows, 2))
    gains, parts = np.zeros(rows), []
    for at, run in ((0, 1), (1, 300), (301, 399)):
        part = np.empty((rows, run))
        compression_rows(np.ascontiguousarray(level[:, at : at + run]), ways, curves, part)
        attack_release_rows(part, shares, gains)
        parts.append(part)
    steps = np.array([0, 1, 301, 700])
    for row in range(rows):
        alone, state = ways[row] * level[row : row + 1], np.zeros(2)
        compression_db(alone, np.array([0, 700]), curves[row : row + 1])
        attack_release(alone, steps, np.repeat(shares[row : row + 1], 3, axis=0), state)
        np.testing.assert_array_equal(np.concatenate(parts, axis=1)[row], alone[0])
        assert gains[row] == state[0]


def test_heard_levels_are_those_of_each_component_through_its_filter():
    x = noise(-6, 0.03)[:, :1300]
    left, right = x
    components = {STEREO: x, LEFT: [left, left], RIGHT: [right, right], MID: [(left + right) / 2] * 2}
    components[SIDE] = [(left - right) / 2] * 2
    sections = np.stack([high_pass(200.0 * 2**i, 24, 0.0, 48000) for i in range(5)])
    # of the last one only the first is to count
    counts = np.array([2, 2, 2, 2, 1])
    state, parts = np.zeros((5, 2, 2, 2)), []
    for at, run in ((0, 7), (7, 600), (607, 693)):
        part = np.empty((5, run))
        heard_levels(
            np.ascontiguousarray(x[:, at : at + run]), np.array(list(components)), counts, sections, state, part
        )
        parts.append(part)
    for found, heard, own, count in zip(
        np.concatenate(parts, axis=1), components.values(), sections, counts, strict=True
    ):
        plain = np.array(heard)
        svf_cascade(plain, own[:count], np.zeros((2, 2, 2)))
        np.testing.assert_allclose(found, 20 * np.log10(np.abs(plain).max(axis=0)), atol=1e-9)


def test_sliding_maximum_equals_its_twin_for_every_window():
    x = np.random.default_rng(3).random(300)
    for window in (1, 2, 3, 7, 64, 100):
        made = x.copy()
        sliding_maximum(made, np.empty_like(x), window)
        np.testing.assert_array_equal(made[: 300 - window + 1], naive.sliding_maximum(x, window))


def test_release_equals_its_twin_and_auto_is_slower_after_long_work():
    demand = np.zeros(9000)
    demand[100] = 6.0
    made = demand.copy()
    release_db(made, np.array([0, 4000, 9000]), np.array([0.001, 0.001]), 0.01, 0.01, False, np.zeros(2))
    np.testing.assert_allclose(made, naive.released(demand, 0.001), atol=1e-8)
    short, long = np.zeros(30000), np.zeros(30000)
    short[9990:10000] = 6.0
    long[:10000] = 6.0
    for x in (short, long):
        quick = np.array([one_pole(60, 48000)])
        release_db(x, np.array([0, 30000]), quick, one_pole(400, 48000), one_pole(900, 48000), True, np.zeros(2))
    assert long[20000] > 5 * short[20000] > 0


def test_mean_pair_equals_its_twin_and_never_falls_below():
    x = np.random.default_rng(4).random(2000) * 6
    made = x.copy()
    mean_pair(made, np.zeros(30, np.int64), np.zeros(41, np.int64), 2000, np.zeros(4, np.int64))
    wanted = naive.moving_mean(naive.moving_mean(x, 30), 41)
    assert (made >= wanted).all()
    np.testing.assert_allclose(made, wanted, atol=3 / STEPS_PER_DB)


@pytest.mark.parametrize("rows", [(1, 1), (1, 2), (2, 2)])
def test_the_stronger_move_is_kept_whichever_way_it_goes(rows):
    rng = np.random.default_rng(8)
    moved, kept = rng.normal(size=(rows[0], 40)), rng.normal(size=(rows[1], 40))
    wanted = np.where(np.abs(moved) > np.abs(kept), moved, kept)
    keep_stronger(moved, kept)
    np.testing.assert_array_equal(kept, wanted)


def test_demand_brings_a_peak_to_the_ceiling():
    peak, demand = np.array([0.2, 0.5, 0.7, 1.9]), np.empty(4)
    demand_db(peak, demand, np.array([0.5, 0.5, 0.5, 0.25]))
    assert demand[:2].tolist() == [0.0, 0.0]
    np.testing.assert_allclose(peak[2:] * 10 ** (-demand[2:] / 20), [0.5, 0.25], rtol=1e-8)


@pytest.mark.parametrize("hz", [997.0, 7919.0, 12000.0, 17003.0, 20000.0])
def test_peaks_between_samples_are_found(hz):
    frames = 4800
    t = np.arange(frames) / 48000
    rng = np.random.default_rng(5)
    for _ in range(4):
        # periodic in the stretch, so that the transform of the twin knows the curve exactly
        x = np.sin(2 * np.pi * round(hz / 10) * 10 * t + rng.uniform(0, 6.28))
        peak = np.empty(frames)
        peaks_between(np.concatenate([x[-HISTORY:], x]), interpolator(), peak)
        wanted = np.abs(naive.interpolated(x)).max()
        assert 20 * np.log10(peak.max() / wanted) == pytest.approx(0.0, abs=0.05)


def test_a_peak_belongs_to_its_sample():
    x = np.zeros(200 + HISTORY)
    x[100 + HISTORY] = 1.0
    peak = np.empty(200)
    peaks_between(x, interpolator(), peak)
    assert int(np.argmax(peak)) in (100 + LATENCY - 1, 100 + LATENCY)
