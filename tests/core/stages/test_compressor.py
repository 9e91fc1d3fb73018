"""The compressor against the contract's figures and its plain twin."""

import numpy as np
import pytest

from tests import naive
from tests.conftest import RATE_HZ, music, noise, tone
from tin_kettle.core.stages.compressor import Compressor, CompressorParams, DetectorFilter, hears, static_curve_db


def run(params, x, block=1000, rate_hz=RATE_HZ):
    processor = Compressor(params, rate_hz)
    out, gain = [], []
    for at in range(0, x.shape[1], block):
        out.append(processor.process(np.ascontiguousarray(x[:, at : at + block]).copy()))
        gain.append(processor.effort_db)
    return np.concatenate(out, axis=1), np.concatenate(gain, axis=1)


@pytest.mark.parametrize("level", [-17.0, -9.0, 0.0])
@pytest.mark.parametrize("ratio", [1.5, 4.0, 100.0])
def test_a_square_wave_settles_on_the_static_curve(level, ratio):
    t = np.arange(2 * RATE_HZ)
    x = np.stack([10 ** (level / 20) * np.where((t // 24) % 2, -1.0, 1.0)] * 2)
    out, _ = run(CompressorParams(threshold_db=-18, ratio=ratio, knee_db=0), x)
    settled = 20 * np.log10(np.abs(out[0, -4800:]).max())
    assert settled == pytest.approx(-18 + (level + 18) / ratio, abs=0.05)


def test_the_contracts_sine():
    _, gain = run(CompressorParams(threshold_db=-18, ratio=2, knee_db=0), tone(1000, 0, 4))
    assert gain[0, -RATE_HZ:].mean() == pytest.approx(-7.50, abs=0.05)


@pytest.mark.parametrize("link", [0.0, 0.4, 1.0])
def test_equals_its_plain_twin(link):
    x = music(0.25)
    params = CompressorParams(threshold_db=-30, ratio=3.5, knee_db=9, range_db=8, attack_ms=2, release_ms=40, link=link)
    _, gain = run(params, x, block=333)
    wanted = naive.compressor_gain_db(x, -30, 3.5, 9, 8, 2, 40, link, RATE_HZ)
    np.testing.assert_allclose(gain, wanted, atol=1e-7)


def test_samples_do_not_depend_on_the_block_size():
    params = CompressorParams(
        threshold_db=-30, ratio=4, detector="rms", lookahead_ms=3, detector_filters=(DetectorFilter(hz=120),)
    )
    x = music(0.3)
    wanted, _ = run(params, x, block=x.shape[1])
    for block in (1, 64, 1023):
        np.testing.assert_allclose(run(params, x, block)[0], wanted, atol=1e-12)


def test_look_ahead_moves_the_gain_before_the_hit():
    x = np.zeros((2, 9600))
    x[:, 4800:] = 0.9
    params = {"threshold_db": -20, "ratio": 10, "attack_ms": 1}
    plain, _ = run(CompressorParams(**params), x)
    ahead, _ = run(CompressorParams(**params, lookahead_ms=5), x)
    assert Compressor(CompressorParams(lookahead_ms=5), RATE_HZ).delay == 240
    assert plain[0, 4800] > 0.7
    assert ahead[0, 5040] < 0.2


def test_it_listens_through_its_filters_and_all_frequencies_go_down_together():
    x = tone(50, -6, 2) + tone(5000, -40, 2)
    heavy = CompressorParams(threshold_db=-30, ratio=4)
    deaf = CompressorParams(threshold_db=-30, ratio=4, detector_filters=(DetectorFilter(hz=1000, slope=24),))
    assert run(heavy, x)[1][0, -4800:].mean() < -10
    assert run(deaf, x)[1][0, -4800:].mean() > -0.1


def test_neutral_values_change_nothing():
    x = music(0.1)
    for params in (CompressorParams(ratio=1), CompressorParams(range_db=0), CompressorParams(threshold_db=0)):
        np.testing.assert_array_equal(run(params, 0.5 * x / np.abs(x).max())[0], 0.5 * x / np.abs(x).max())


def test_silence_after_music_leaves_no_denormals():
    processor = Compressor(CompressorParams(threshold_db=-50, ratio=8, detector="rms"), RATE_HZ)
    processor.process(noise(-6, 0.5))
    for _ in range(100):
        processor.process(np.zeros((2, 4800)))
    for name, state in processor.state.items():
        assert not ((np.abs(state) > 0) & (np.abs(state) < 1e-200)).any(), name
    assert processor.f64("gain_db").tolist() == [0.0, 0.0]


def test_picture_and_words():
    params = CompressorParams(threshold_db=-20, ratio=4, knee_db=0, makeup_db=2)
    np.testing.assert_allclose(static_curve_db(params, np.array([-40.0, -8.0])), [-38.0, -15.0], atol=1e-9)
    filters = (DetectorFilter(hz=110), DetectorFilter(kind="bell", hz=3000, gain_db=6))
    assert hears(CompressorParams(detector_filters=filters)) == "above 110 Hz, harder at 3 kHz"
