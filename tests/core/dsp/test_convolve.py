"""Long symmetric responses in partitions: equal to plain convolution, whatever the blocks, as late as is said."""

import numpy as np
import pytest

from tests.conftest import noise
from tin_kettle.core.dsp.convolve import Convolver, partitioned, symmetric_taps
from tin_kettle.core.stages.equalizer import Band, EqualizerParams, build

PARTS = 16


def through(x, taps, sizes):
    response = partitioned(taps, PARTS)
    convolver = Convolver(PARTS, 2 * (taps.shape[1] - 1) // PARTS)
    parts, at = [], 0
    while at < x.shape[1]:
        size = sizes[len(parts) % len(sizes)]
        parts.append(convolver.process(x[:, at : at + size], response))
        at += size
    return np.concatenate(parts, axis=1)


@pytest.mark.parametrize("sizes", [(1024,), (1, 700, 33), (4096,)])
@pytest.mark.parametrize("length", [256, 1024])
def test_it_equals_plain_convolution_a_partition_late(sizes, length):
    x = noise(-10, 0.1)
    taps = np.random.default_rng(3).standard_normal((2, length // 2 + 1))
    late = length // PARTS
    in_time = np.concatenate([taps[:, :0:-1], taps[:, :-1]], axis=1)
    wanted = np.stack([np.convolve(row, tap)[: x.shape[1] - late] for row, tap in zip(x, in_time, strict=True)])
    found = through(x, taps, sizes)
    np.testing.assert_allclose(found[:, late:], wanted, atol=1e-10)
    assert not found[:, :late].any()


def test_a_shorter_response_lies_in_the_middle():
    x, taps = noise(-10, 0.1), np.random.default_rng(6).standard_normal((2, 513))
    taps[:, 128:] = 0.0
    short, whole = partitioned(taps[:, :129], 4), partitioned(taps, PARTS)
    one, other = Convolver(PARTS, 64), Convolver(PARTS, 64)
    np.testing.assert_allclose(one.process(x, short), other.process(x, whole), atol=1e-12)


def test_one_response_is_for_both_sides():
    x, taps = noise(-10, 0.1), np.random.default_rng(5).standard_normal((1, 129))
    np.testing.assert_array_equal(through(x, taps, (1024,)), through(x, taps.repeat(2, axis=0), (1024,)))


def test_a_response_is_its_magnitude_in_time():
    magnitude = np.abs(np.random.default_rng(4).standard_normal((2, 513)))
    taps, whole = symmetric_taps(magnitude), np.fft.irfft(magnitude)
    np.testing.assert_allclose(taps[:, :257], whole[:, :257], atol=1e-15)
    assert not taps[:, 512].any()
    flat = symmetric_taps(np.ones((2, 513)))
    np.testing.assert_allclose(flat[:, 0], 1.0)
    assert np.abs(flat[:, 1:]).max() < 1e-15


def test_they_end_softly():
    # half a tap on either side, 50 of 64 from the middle: 14 of the 32 that the window takes to fall
    taps = symmetric_taps(np.cos(np.pi * np.arange(65) * 50 / 64)[np.newaxis])[0]
    assert taps[50] == pytest.approx(0.5 * (0.5 - 0.5 * np.cos(np.pi * 14 / 32)))


@pytest.mark.parametrize("rate_hz", [8000, 44100, 48000, 96000, 192000])
def test_linear_phase_is_as_late_in_time_at_every_rate(rate_hz):
    band = Band(id="a", hz=1000, gain_db=3)
    delays_s = [build(EqualizerParams(phase="linear", bands=bands), rate_hz).delay / rate_hz for bands in ((), (band,))]
    assert delays_s[0] == delays_s[1], "the first band must not move the song"
    assert 0.7 < delays_s[0] < 1.2
