"""The gauges: levels and loudness as heard, a running loudness that looks back to the last change, live spectra."""

import numpy as np
import pytest

from tests.conftest import RATE_HZ, noise, tone
from tin_kettle.core.measure.live_meters import SCOPE_POINTS, LiveMeter
from tin_kettle.core.measure.live_spectrum import SPECTRUM_HZ, TURNS, LiveSpectrum
from tin_kettle.core.measure.song_measures import SongMeter


def feed(meter, x, size=1024):
    """Every block; what the gauges show at the end."""
    told = {}
    for at in range(0, x.shape[1] - size + 1, size):
        told = meter.feed(x[:, at : at + size])
    return told


def whole(x):
    meter = SongMeter(RATE_HZ)
    meter.feed(x)
    return meter.finish()


def test_levels_are_those_of_left_right_mid_and_side():
    x = tone(1000, -6, 1.0) * np.array([[1.0], [0.0]])
    told = feed(LiveMeter(RATE_HZ), x)
    assert told["levels_db"] == pytest.approx([-6, -200, -12.02, -12.02], abs=0.02)
    assert told["correlation"] is None
    assert feed(LiveMeter(RATE_HZ), tone(1000, -6, 1.0))["correlation"] == 1.0
    assert feed(LiveMeter(RATE_HZ), tone(1000, -6, 1.0) * np.array([[1.0], [-1.0]]))["correlation"] == -1.0


def test_steady_loudness_is_the_same_on_every_gauge():
    x = noise(-26, 5.0)
    meter = LiveMeter(RATE_HZ)
    told, measured = feed(meter, x), whole(x)
    assert told["momentary_lufs"] == pytest.approx(measured["integrated_lufs"], abs=0.3)
    assert told["short_term_lufs"] == pytest.approx(measured["integrated_lufs"], abs=0.2)
    assert meter.running_lufs() == pytest.approx(measured["integrated_lufs"], abs=0.05)
    assert told["true_peak_dbtp"] == pytest.approx(measured["true_peak_dbtp"], abs=0.1)


def test_running_loudness_looks_back_half_a_minute_at_most():
    meter = LiveMeter(RATE_HZ)
    feed(meter, noise(-10, 2.0))
    feed(meter, noise(-40, 31.0))
    assert meter.running_lufs() == pytest.approx(whole(noise(-40, 5.0))["integrated_lufs"], abs=0.1)


def test_running_loudness_begins_anew_where_something_changed():
    meter = LiveMeter(RATE_HZ)
    feed(meter, noise(-10, 3.0))
    meter.look_back_from_here()
    assert meter.running_lufs() is None
    fork = meter.fork()
    feed(meter, noise(-30, 3.0))
    assert meter.running_lufs() == pytest.approx(whole(noise(-30, 3.0))["integrated_lufs"], abs=0.1)
    assert fork.running_lufs() is None, "a fork goes on by itself"


def spectrum_of(x, rate_hz=RATE_HZ):
    spectrum = LiveSpectrum(rate_hz)
    levels = None
    for at in range(0, x.shape[1] - 1023, 1024):
        spectrum.feed(x[:, at : at + 1024])
        levels = spectrum.levels_db()
    return levels


@pytest.mark.parametrize("rate_hz", [44100, 48000, 96000])
@pytest.mark.parametrize("hz", [50.0, 440.0, 3000.0, 15000.0])
def test_a_tone_stands_where_it_is_at_its_level(rate_hz, hz):
    mid, side = spectrum_of(tone(hz, -20, 1.5, rate_hz), rate_hz)
    assert SPECTRUM_HZ[np.argmax(mid)] == pytest.approx(hz, rel=0.03)
    # a window that falls between two bins costs up to 1.4 dB
    assert -21.6 < mid.max() < -19.9
    assert side.max() < -120


def test_neighbouring_bass_notes_are_told_apart():
    low, high = 41.2, 55.0  # E1 and A1
    mid, _ = spectrum_of(tone(low, -20, 2.0) + tone(high, -20, 2.0))
    between = mid[(SPECTRUM_HZ > 44) & (SPECTRUM_HZ < 52)].min()
    for hz in (low, high):
        assert mid[np.argmin(np.abs(SPECTRUM_HZ - hz))] > between + 6


def test_what_a_rate_does_not_carry_is_silent():
    mid, _ = spectrum_of(noise(-20, 1.5, 16000), 16000)
    assert mid[SPECTRUM_HZ > 8000].max() == -140
    assert mid[(SPECTRUM_HZ > 100) & (SPECTRUM_HZ < 7000)].min() > -90


@pytest.mark.parametrize("frames", [1, 63, 1024, 4097])
def test_what_the_gauges_show_is_what_numpy_finds(frames):
    x = noise(-12, 0.2)[:, :frames].copy()
    told, (left, right) = LiveMeter(RATE_HZ).feed(x), x
    mid, side = 0.5 * (left + right), 0.5 * (left - right)
    levels = [20 * np.log10(np.abs(row).max()) for row in (left, right, mid, side)]
    np.testing.assert_allclose(told["levels_db"], levels, atol=0.006)
    step = max(1, frames // SCOPE_POINTS)
    np.testing.assert_array_equal(told["scope"], np.float32([mid[::step], side[::step]]))
    both = np.sqrt(np.dot(left, left) * np.dot(right, right))
    assert told["correlation"] == pytest.approx(np.dot(left, right) / both, abs=0.006)


def test_a_spectrum_shows_all_it_has_at_once_and_soon_anew():
    spectrum = LiveSpectrum(RATE_HZ)
    loud, soft = noise(-10, 0.4), noise(-50, 0.4)

    def feed_spectrum(x):
        for at in range(0, x.shape[1] - 1023, 1024):
            spectrum.feed(x[:, at : at + 1024])

    feed_spectrum(loud)
    (before, _) = spectrum.levels_db()
    assert before[:-1].min() > -80, "every window is looked through at the first time"
    feed_spectrum(soft)
    told = [spectrum.levels_db()[0] for _ in TURNS]
    short, medium, long = (SPECTRUM_HZ > 1200), (SPECTRUM_HZ > 300) & (SPECTRUM_HZ < 1200), SPECTRUM_HZ < 300
    assert [bool((one[short] < before[short] - 10).all()) for one in told] == [True] * 4
    assert [bool((one[long] < before[long] - 10).all()) for one in told] == [False, True, True, True]
    assert [bool((one[medium] < before[medium] - 10).all()) for one in told] == [False, False, False, True]
