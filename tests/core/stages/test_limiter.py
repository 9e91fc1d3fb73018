"""The limiter holds its ceiling, and is only a delay below it."""

import numpy as np
import pytest

from tests import naive
from tests.conftest import RATE_HZ, music, noise
from tin_kettle.core.deliver.convert import band_limit
from tin_kettle.core.measure.peaks import TruePeakMeter
from tin_kettle.core.stages.limiter import Limiter, LimiterParams


def run(params, x, block=1000, rate_hz=RATE_HZ):
    limiter = Limiter(params, rate_hz)
    padded = np.concatenate([x, np.zeros((2, limiter.delay))], axis=1)
    out = [limiter.process(np.ascontiguousarray(padded[:, at : at + block])) for at in range(0, padded.shape[1], block)]
    return np.concatenate(out, axis=1)[:, limiter.delay :]


def true_peak_db(x):
    meter = TruePeakMeter()
    meter.feed(x)
    meter.finish()
    return meter.dbtp


@pytest.mark.parametrize("lookahead_ms", [1.0, 4.0, 10.0])
@pytest.mark.parametrize("release_mode", ["auto", "manual"])
def test_the_ceiling_is_held(lookahead_ms, release_mode):
    params = LimiterParams(
        gain_db=12, ceiling_db=-1, lookahead_ms=lookahead_ms, release_mode=release_mode, release_ms=5
    )
    for x in (music(1.0), noise(-9, 1.0), np.clip(noise(0, 0.5), -1, 1)):
        limited_band = np.concatenate(list(band_limit(iter([x]), RATE_HZ)), axis=1)
        out = run(params, limited_band)
        assert 20 * np.log10(np.abs(out).max()) <= -1 + 1e-9
        assert true_peak_db(out) <= -1 + 0.05


def test_the_curve_between_the_samples_stays_below_too():
    t = np.arange(4800)
    x = np.stack([np.sin(2 * np.pi * t / 4 + np.pi / 4) * 1.2 * (0.4 + 0.6 * np.sin(np.pi * t / 4800) ** 2)] * 2)
    out = run(LimiterParams(ceiling_db=-3), x)
    assert 20 * np.log10(np.abs(naive.interpolated(out[0])).max()) <= -3 + 0.05


def test_below_the_ceiling_it_is_a_delay():
    x = music(0.5)
    x *= 0.8 / np.abs(x).max()
    np.testing.assert_array_equal(run(LimiterParams(ceiling_db=-0.5), x), x)
    np.testing.assert_array_equal(run(LimiterParams(ceiling_db=-0.5, true_peak=False), x), x)


def test_samples_do_not_depend_on_the_block_size():
    params = LimiterParams(gain_db=9, link=0.5)
    x = music(0.3)
    wanted = run(params, x, block=20000)
    for block in (1, 31, 1024):
        np.testing.assert_array_equal(run(params, x, block), wanted)


def test_after_a_single_peak_the_gain_comes_back():
    x = np.full((2, 2 * RATE_HZ), 0.3)
    x[:, 1000] = 3.0
    out = run(LimiterParams(), x)
    assert out[0, -1] == pytest.approx(0.3, rel=3e-3)
    assert 20 * np.log10(np.abs(out).max()) <= -1 + 1e-9


def test_unlinked_sides_go_their_own_way():
    x = np.stack([np.full(RATE_HZ, 0.2), noise(-3, 1.0)[0]])
    np.testing.assert_allclose(run(LimiterParams(link=0), x)[0], 0.2, rtol=1e-12)
    assert run(LimiterParams(link=1), x)[0].min() < 0.19
