"""Sections and passes against their plain twins and the analogue curves."""

import time
from concurrent.futures import ThreadPoolExecutor

import numpy as np
import pytest

from tests import naive
from tests.conftest import noise
from tin_kettle.core.dsp import equalizer_filters
from tin_kettle.core.dsp.equalizer_filters import bell, high_shelf, low_shelf, notch
from tin_kettle.core.dsp.pass_filters import biquad_to_svf, butterworth_qs, high_pass, low_pass
from tin_kettle.core.dsp.svf import ring_s, spread_s, squared_tangent, svf_cascade, svf_magnitude, svf_response

SLOPES = (6, 12, 18, 24, 36, 48, 72, 96)


def analogue_db(ratio, order, resonance_db):
    """Butterworth magnitude at ratio = (distance from the corner, on the stop side above 1)."""
    power = np.ones_like(ratio)
    for q in butterworth_qs(order, resonance_db):
        power = power * ((1 - ratio**2) ** 2 + (ratio / q) ** 2)
    return -10 * np.log10(power * (1 + ratio**2 if order % 2 else 1))


def response_db(sections, hz, rate_hz):
    return 20 * np.log10(np.abs(svf_response(sections, hz, rate_hz)))


def test_kernel_equals_its_twin_whatever_the_block_size():
    sections = np.concatenate([high_pass(40, 18, 3.0, 48000), low_pass(9000, 24, 0.0, 48000)])
    x = noise(-12, 0.05)
    wanted = naive.svf_cascade(x, sections)
    for size in (1, 7, 128, 1000, x.shape[1]):
        state = np.zeros((len(sections), 2, 2))
        made = []
        for at in range(0, x.shape[1], size):
            piece = np.ascontiguousarray(x[:, at : at + size])
            svf_cascade(piece, sections, state)
            made.append(piece)
        np.testing.assert_allclose(np.concatenate(made, axis=1), wanted, atol=1e-12)


@pytest.mark.parametrize("rate_hz", [44100, 48000, 96000])
@pytest.mark.parametrize("slope", SLOPES)
def test_low_pass_follows_the_analogue_curve(rate_hz, slope):
    hz = np.concatenate([np.geomspace(20, 16000, 160), np.linspace(16000, 20000, 40)])
    for corner in (200, 900, 3400, 8270, 12000, 16000, 20000):
        for resonance in (0.0, 6.0, 18.0):
            wanted = analogue_db(hz / corner, slope // 6, resonance)
            error = np.abs(response_db(low_pass(corner, slope, resonance, rate_hz), hz, rate_hz) - wanted)
            error[wanted < -100] = 0
            assert error[:160].max() < 0.3
            assert error[160:].max() < 0.8


@pytest.mark.parametrize("rate_hz", [44100, 48000, 96000])
@pytest.mark.parametrize("slope", SLOPES)
def test_a_low_pass_lifts_nothing_and_meets_its_corner(rate_hz, slope):
    corners = [corner for corner in (200, 3000, 9463, 12500, 15000, 18000, 20000, 21500) if corner < 0.49 * rate_hz]
    for corner in corners:
        hz = np.append(np.geomspace(8, 0.4999 * rate_hz, 2000), corner)
        level_db = response_db(low_pass(corner, slope, 0.0, rate_hz), hz, rate_hz)
        assert level_db[:-1].max() < 0.03
        assert level_db[-1] == pytest.approx(-3.01, abs=0.05)


@pytest.mark.parametrize("rate_hz", [44100, 192000])
@pytest.mark.parametrize("slope", SLOPES)
def test_high_pass_follows_the_analogue_curve(rate_hz, slope):
    hz = np.geomspace(8, 20000, 200)
    for corner in (10, 28, 300, 2000):
        for resonance in (0.0, 12.0):
            wanted = analogue_db(corner / hz, slope // 6, resonance)
            error = np.abs(response_db(high_pass(corner, slope, resonance, rate_hz), hz, rate_hz) - wanted)
            assert error[wanted > -60].max() < 0.3


@pytest.mark.parametrize("resonance", [0.0, 4.0, 18.0])
def test_the_corner_lies_at_the_resonance_less_three(resonance):
    for make, corner in ((high_pass, 100.0), (low_pass, 1000.0)):
        for slope in (12, 24, 48):
            at = response_db(make(corner, slope, resonance, 48000), np.array([corner]), 48000)
            assert at[0] == pytest.approx(resonance - 3.01, abs=0.02)


def test_ten_hz_at_192_khz_is_free_of_numerical_noise():
    x = noise(-12, 1.0, rate_hz=192000)
    sections = high_pass(10, 96, 0.0, 192000)
    state = np.zeros((len(sections), 2, 2))
    y = x.copy()
    svf_cascade(y, sections, state)
    spectrum = np.fft.rfft(x) * svf_response(sections, np.fft.rfftfreq(x.shape[1], 1 / 192000) + 1e-9, 192000)
    wanted = np.fft.irfft(spectrum, x.shape[1])
    # past the start both agree, but for what the circular transform brings round
    assert np.abs(np.diff(y - wanted, n=4)[:, 150000:]).max() < 1e-9


def test_silence_ends_in_nothing_and_not_in_denormals():
    sections = np.concatenate([high_pass(20, 24, 0.0, 48000), low_pass(12000, 24, 12.0, 48000)])
    state = np.zeros((len(sections), 2, 2))
    svf_cascade(noise(0, 0.1), sections, state)
    for _ in range(200):
        silent = np.zeros((2, 4800))
        svf_cascade(silent, sections, state)
    assert not state.any()
    assert not silent.any()


def test_bells_and_shelves_have_the_contracts_shape():
    hz = np.array([20.0, 1000.0, 20000.0])
    for gain in (-9.0, 6.0):
        np.testing.assert_allclose(response_db(bell(1000, 1.0, gain, 48000), hz, 48000)[1], gain, atol=1e-9)
        low, mid, high = response_db(high_shelf(1000, 0.707, gain, 48000), hz, 48000)
        assert (low, mid, high) == pytest.approx((0, gain / 2, gain), abs=0.02)
        low, mid, high = response_db(low_shelf(1000, 0.707, gain, 48000), hz, 48000)
        assert (low, mid, high) == pytest.approx((gain, gain / 2, 0), abs=0.02)
        both = np.concatenate([bell(3000, 2.0, gain, 48000), bell(3000, 2.0, -gain, 48000)])
        np.testing.assert_allclose(response_db(both, np.geomspace(20, 20000, 50), 48000), 0.0, atol=1e-9)


def test_any_biquad_can_be_written_as_a_section():
    b0, b1, b2, a1, a2 = 0.3, 0.1, -0.2, -0.9, 0.4
    hz = np.linspace(10, 23000, 50)
    z = np.exp(-2j * np.pi * hz / 48000)
    wanted = (b0 + b1 * z + b2 * z**2) / (1 + a1 * z + a2 * z**2)
    made = svf_response(np.array([biquad_to_svf(b0, b1, b2, a1, a2)]), hz, 48000)
    np.testing.assert_allclose(made, wanted, atol=1e-12)


@pytest.mark.parametrize("rate_hz", [44100, 192000])
def test_a_magnitude_is_that_of_the_response(rate_hz):
    sections = np.concatenate([bell(100, 3, 6, rate_hz), high_pass(30, 24, 0, rate_hz), notch(9000, 2, rate_hz)])
    hz = np.geomspace(5, 22000, 300)
    found = svf_magnitude(sections, squared_tangent(hz, rate_hz))
    np.testing.assert_allclose(found, np.abs(svf_response(sections, hz, rate_hz)), rtol=1e-9)


@pytest.mark.parametrize(("hz", "q"), [(50, 8), (1000, 0.2), (15000, 10)])
def test_a_cascade_rings_by_its_slowest_pole(hz, q):
    sections = bell(hz, q, -12, 48000)
    impulse = np.zeros((2, 96000))
    impulse[:, 0] = 1.0
    svf_cascade(impulse, sections, np.zeros((len(sections), 2, 2)))
    # the highest of what is left from one time constant to another
    frames = ring_s(sections, 48000) * 48000
    steps = [np.abs(impulse[0, round(i * frames) : round((i + 1) * frames) + 2]).max() for i in (5, 8)]
    assert np.log(steps[0] / steps[1]) == pytest.approx(3.0, abs=0.25)
    # its zeros are the poles of the same lift
    either = max(ring_s(bell(hz, q, gain_db, 48000), 48000) for gain_db in (-12, 12))
    assert spread_s(sections, 48000) == pytest.approx(either, rel=1e-6)


def test_a_zero_on_the_circle_never_ends():
    for sections in (notch(1000, 2, 48000), high_pass(30, 12, 0, 48000)):
        assert np.isfinite(ring_s(sections, 48000)) and spread_s(sections, 48000) == np.inf


def test_two_that_want_a_section_at_once_find_it_made_once(monkeypatch):
    made, real = [], equalizer_filters._bilinear

    def slow(*given):
        made.append(given)
        time.sleep(0.05)
        return real(*given)

    monkeypatch.setattr(equalizer_filters, "_bilinear", slow)
    with ThreadPoolExecutor(2) as both:
        one, other = both.map(lambda _: bell(1234.5, 0.777, 3.21, 48000), range(2))
    assert len(made) == 1
    np.testing.assert_array_equal(one, other)
