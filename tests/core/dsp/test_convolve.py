"""Long symmetric responses in partitions: equal to plain convolution, whatever the blocks, as late as is said."""

import numpy as np
import pytest

from tests.conftest import noise
from tin_kettle.core.dsp.convolve import Convolver, partitioned, symmetric_taps
from tin_kettle.core.stages.equalizer import Band, EqualizerParams, build

PARTS = 16


def through(x, taps, sizes):
    response = partitioned(taps, PARTS)
    convolver = Convolver(PARTS, taps.shape[1] // PARTS)
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
    taps = np.random.default_rng(3).standard_normal((2, length))
    late = length // PARTS
    wanted = np.stack([np.convolve(row, tap)[: x.shape[1] - late] for row, tap in zip(x, taps, strict=True)])
    found = through(x, taps, sizes)
    np.testing.assert_allclose(found[:, late:], wanted, atol=1e-10)
    assert not found[:, :late].any()


def test_responses_are_symmetrical_about_their_middle():
    magnitude = np.abs(np.random.default_rng(4).standard_normal((2, 513)))
    taps = symmetric_taps(magnitude)
    assert taps.shape == (2, 1024)
    np.testing.assert_allclose(taps[:, 513:], taps[:, 511:0:-1], atol=1e-15)
    flat = symmetric_taps(np.ones((2, 513)))
    np.testing.assert_allclose(flat[:, 512], 1.0)
    assert np.abs(np.delete(flat, 512, axis=1)).max() < 1e-15


@pytest.mark.parametrize("rate_hz", [8000, 44100, 48000, 96000, 192000])
def test_linear_phase_is_as_late_in_time_at_every_rate(rate_hz):
    band = Band(id="a", hz=1000, gain_db=3)
    delays_s = [build(EqualizerParams(phase="linear", bands=bands), rate_hz).delay / rate_hz for bands in ((), (band,))]
    assert delays_s[0] == delays_s[1], "the first band must not move the song"
    assert 0.7 < delays_s[0] < 1.2
