"""The standards' own test signals: EBU Tech 3341 (version 4, table 1) and Tech 3342 (table 1), stereo ones.

Tolerances are the standards': ±0.1 LU for loudness, ±1 LU for range, +0.2/−0.4 dB for true peak.
"""

import numpy as np
import pytest

from tests.conftest import noise, tone
from tin_kettle.core.dsp.svf import svf_response
from tin_kettle.core.measure.loudness import k_weighting
from tin_kettle.core.measure.song_measures import SongMeter

RATES = (44100, 48000, 96000)


def steps(*parts, rate_hz=48000):
    """A 1 kHz tone whose level changes: (dBFS, seconds), …"""
    return np.concatenate([tone(1000, level, seconds, rate_hz) for level, seconds in parts], axis=1)


def measured(x, rate_hz=48000, channels=2):
    meter = SongMeter(rate_hz, channels)
    for at in range(0, x.shape[1], 5000):
        meter.feed(np.ascontiguousarray(x[:, at : at + 5000]))
    return meter.finish()


@pytest.mark.parametrize("rate_hz", RATES)
@pytest.mark.parametrize(
    ("parts", "lufs"),
    [
        ([(-23, 20)], -23),
        ([(-33, 20)], -33),
        ([(-36, 10), (-23, 60), (-36, 10)], -23),
        ([(-72, 10), (-36, 10), (-23, 60), (-36, 10), (-72, 10)], -23),
        ([(-26, 20), (-20, 20.1), (-26, 20)], -23),
    ],
    ids=["1", "2", "3", "4", "5"],
)
def test_integrated_loudness_tech_3341(parts, lufs, rate_hz):
    assert measured(steps(*parts, rate_hz=rate_hz), rate_hz)["integrated_lufs"] == pytest.approx(lufs, abs=0.1)


def test_momentary_and_short_term_tech_3341():
    assert measured(steps(*[(-20, 1.34), (-30, 1.66)] * 5))["max_short_term_lufs"] == pytest.approx(-23, abs=0.1)
    assert measured(steps(*[(-20, 0.18), (-30, 0.22)] * 25))["max_momentary_lufs"] == pytest.approx(-23, abs=0.1)
    for i in range(20):
        # a burst of the window's own length is found wherever it lies (signals 10 and 13)
        silence = np.zeros((2, round(i * 0.005 * 48000)))
        burst = np.concatenate([silence, tone(1000, -23, 0.4), np.zeros((2, 48000))], axis=1)
        assert measured(burst)["max_momentary_lufs"] == pytest.approx(-23, abs=0.1)


@pytest.mark.parametrize(
    ("parts", "lu"),
    [
        ([(-20, 20), (-30, 20)], 10),
        ([(-20, 20), (-15, 20)], 5),
        ([(-40, 20), (-20, 20)], 20),
        ([(-50, 20), (-35, 20), (-20, 20), (-35, 20), (-50, 20)], 15),
    ],
)
def test_loudness_range_tech_3342(parts, lu):
    assert measured(steps(*parts))["loudness_range_lu"] == pytest.approx(lu, abs=1)


@pytest.mark.parametrize(
    ("divisor", "degrees", "amplitude", "dbtp"),
    [(4, 0, 0.5, -6), (4, 45, 0.5, -6), (6, 60, 0.5, -6), (8, 67.5, 0.5, -6), (4, 45, 1.41, 3)],
    ids=["15", "16", "17", "18", "19"],
)
def test_true_peak_tech_3341(divisor, degrees, amplitude, dbtp):
    t = np.arange(48000)
    fade = np.minimum(1.0, np.minimum(t, t[::-1]) / 4800)
    x = fade * amplitude * np.sin(2 * np.pi * t / divisor + np.radians(degrees))
    found = measured(np.stack([x, x]))["true_peak_dbtp"]
    assert dbtp - 0.4 <= found <= dbtp + 0.2


def test_k_weighting_has_the_standards_coefficients_at_48_khz():
    hz = np.geomspace(10, 23000, 60)
    z = np.exp(-2j * np.pi * hz / 48000)

    def standard(b, a):
        return (b[0] + b[1] * z + b[2] * z**2) / (1 + a[0] * z + a[1] * z**2)

    # BS.1770-5 annex 1, tables 1 and 2
    shelf = standard((1.53512485958697, -2.69169618940638, 1.19839281085285), (-1.69065929318241, 0.73248077421585))
    low = standard((1.0, -2.0, 1.0), (-1.99004745483398, 0.99007225036621))
    made = svf_response(k_weighting(48000), hz, 48000)
    np.testing.assert_allclose(20 * np.log10(np.abs(made / (shelf * low))), 0.0, atol=1e-6)


def test_one_channel_counts_once_and_the_side_pair_twice():
    x = tone(997, -23, 10)
    left = x * np.array([[1.0], [0.0]])
    assert measured(left)["integrated_lufs"] == pytest.approx(-26.0, abs=0.1)
    assert measured(x, channels=1)["integrated_lufs"] == pytest.approx(-26.0, abs=0.1)


def test_silence_has_no_loudness():
    found = measured(np.zeros((2, 96000)))
    assert found["integrated_lufs"] is found["loudness_range_lu"] is found["mono_loss_lu"] is None
    assert found["correlation"] is found["peak_to_loudness_lu"] is None


def test_mono_loss_of_independent_sides_is_three():
    assert measured(noise(-20, 20))["mono_loss_lu"] == pytest.approx(3.0, abs=0.1)
    assert measured(tone(1000, -20, 10))["mono_loss_lu"] == pytest.approx(0.0, abs=0.01)
