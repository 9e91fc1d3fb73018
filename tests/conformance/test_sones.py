"""ISO 532-1: the standard's stationary signals (annex B, 1 to 4), and what the method promises beside them."""

import numpy as np
import pytest
from scipy.signal import sosfilt

from tests.conftest import RATE_HZ, music
from tin_kettle.core.measure import sones
from tin_kettle.core.measure.critical_bands import BARKS, core_loudness, loudness_course
from tin_kettle.core.measure.sones import FULL_SCALE_DB, SoneMeter
from tin_kettle.core.measure.temporal_loudness import follow_course, ring_on
from tin_kettle.core.measure.third_octaves import band_powers, band_sections


def at_db(x, level_db):
    """A sound at a sound pressure level, (2, frames), as the meter takes full scale."""
    x = x / np.sqrt(np.mean(x**2)) * 10 ** ((level_db - FULL_SCALE_DB) / 20)
    return np.stack([x, x])


def sine(hz, level_db, seconds=1.0, rate_hz=RATE_HZ):
    return at_db(np.sin(2 * np.pi * hz * np.arange(round(seconds * rate_hz)) / rate_hz), level_db)


def measured(block, rate_hz=RATE_HZ, size=4096):
    meter = SoneMeter(rate_hz)
    for at in range(0, block.shape[1], size):
        meter.feed(block[:, at : at + size])
    return meter.perceived()


MACHINE_DB = [-60, -60, 78, 79, 89, 72, 80, 89, 75, 87, 85, 79, 86, 80, 71, 70, 72, 71, 72, 74, 69, 65, 67, 77, 68, 58]
MACHINE_DB += [45, 30]


def test_the_standards_machine_from_its_third_octaves():
    """Test signal 1: 83.296 sone. Broad, loud and uneven, it passes through every table and most of the flanks."""
    core, sone = np.empty((21, 1)), np.empty(1)
    core_loudness(np.array(MACHINE_DB, dtype=np.float64)[:, None], core)
    loudness_course(core, sone, np.empty(BARKS))
    assert sone[0] == pytest.approx(83.296, abs=0.001)


@pytest.mark.parametrize(("hz", "level_db", "sone"), [(250, 80, 14.655), (1000, 60, 4.019), (4000, 40, 1.549)])
def test_the_standards_tones(hz, level_db, sone):
    """Within 5 %, as the standard asks of an implementation."""
    assert measured(sine(hz, level_db)).sone[-50] == pytest.approx(sone, rel=0.05)


def test_a_sone_is_1_khz_at_40_db_and_10_db_more_are_twice_as_loud():
    tones = [measured(sine(1000, level)).sone[-50] for level in (40, 50, 60, 70, 80)]
    assert tones[0] == pytest.approx(1.0, abs=0.05)
    np.testing.assert_allclose(np.divide(tones[1:], tones[:-1]), 2.0, rtol=0.04)


@pytest.mark.parametrize("rate_hz", [44100, 96000])
def test_the_rate_makes_no_difference(rate_hz):
    assert measured(sine(3150, 65, rate_hz=rate_hz), rate_hz).n5_sone == pytest.approx(
        measured(sine(3150, 65)).n5_sone, rel=0.02
    )


def test_blocks_make_no_difference_and_a_gain_is_a_level():
    x = music(1.0)
    whole, parts = measured(x, size=1 << 20), measured(x, size=777)
    np.testing.assert_allclose(parts.sone, whole.sone, rtol=1e-6)
    meter = SoneMeter(RATE_HZ)
    meter.feed(x)
    assert meter.perceived(-6.0).n5_sone == pytest.approx(measured(x * 10 ** (-6 / 20)).n5_sone, rel=1e-6)


def test_long_passages_are_worked_on_in_parts_without_a_seam(monkeypatch):
    meter = SoneMeter(RATE_HZ)
    for part in np.array_split(music(2.0), 37, axis=1):
        meter.feed(part)
    whole = meter.perceived()
    monkeypatch.setattr(sones, "AT_ONCE", 300)
    parts = meter.perceived()
    np.testing.assert_allclose(parts.sone, whole.sone, rtol=1e-12)
    np.testing.assert_allclose(parts.specific, whole.specific, rtol=1e-9)


def test_what_is_masked_adds_little_and_what_is_apart_adds_itself():
    low, near, far = sine(1000, 70), sine(1250, 50), sine(6000, 50)
    alone = [measured(x).sone[-50] for x in (low, near, far)]
    assert measured(low + near).sone[-50] - alone[0] < 0.2 * alone[1]
    assert measured(low + far).sone[-50] - alone[0] > 0.9 * alone[2]


def test_a_short_sound_is_less_loud_and_a_long_one_rings_on_longer():
    def burst(ms):
        x = np.zeros((2, RATE_HZ))
        tone = sine(1000, 70, ms / 1000)
        x[:, 12000 : 12000 + tone.shape[1]] = tone
        return measured(x).sone

    courses = {ms: burst(ms) for ms in (10, 50, 500)}
    peaks = [courses[ms].max() for ms in (10, 50, 500)]
    assert peaks[0] < 0.9 * peaks[1] < 0.9 * peaks[2]
    assert peaks[0] < 0.75 * peaks[2]

    def rings_s(ms):
        """Until a tenth is left after the sound has ended."""
        course = courses[ms][125 + ms // 2 :]
        return int(np.argmax(course < 0.1 * courses[ms].max())) / 500

    assert 0.02 < rings_s(10) < rings_s(500) < 0.5


def test_silence_and_the_shortest_sound_are_nothing():
    assert measured(np.zeros((2, 5))).n5_sone == 0.0
    assert SoneMeter(RATE_HZ).perceived().n5_sone == 0.0


def test_bands_are_their_plain_twin():
    x = music(0.3)
    for band in (0, 16, 27):
        sections, share = band_sections(RATE_HZ)[band], 0.01
        out, state = np.empty(600), np.zeros(16)
        first = 0
        for part in (x[:, :5000], x[:, 5000:]):
            count = int(np.ceil((5000 if first == 0 else x.shape[1]) / 24)) - first
            band_powers(np.ascontiguousarray(part), sections, share, first, 24.0, state, out[first : first + count])
            first += count
        sos = np.insert(sections, 3, 1.0, axis=1)
        power = 0.5 * (sosfilt(sos, x, axis=1) ** 2).sum(axis=0)
        for _ in range(3):
            smooth, y = np.empty_like(power), 0.0
            for i, value in enumerate(power):
                y += share * (value - y)
                smooth[i] = y
            power = smooth
        np.testing.assert_allclose(out[:600], power[:14400:24], rtol=1e-9, atol=1e-18)


def test_core_and_masking_are_their_plain_twins():
    """Levels so far apart that no flank reaches another band: loudness is the core alone."""
    levels = np.full((28, 1), -60.0)
    levels[16] = 60.0
    core = np.empty((21, 1))
    core_loudness(levels, core)
    # 1 kHz is band 9 of the critical ones: threshold in quiet 3 dB, correction 1.5 dB
    wanted = 0.0635 * 10 ** (0.025 * 3.0) * ((0.75 + 0.25 * 10 ** (0.1 * (60.0 - 1.5 - 3.0))) ** 0.25 - 1.0)
    assert core[8, 0] == pytest.approx(wanted, rel=1e-9)
    assert np.count_nonzero(core) == 1
    sone, specific = np.empty(1), np.empty(BARKS)
    loudness_course(core, sone, specific)
    assert specific[80] == pytest.approx(core[8, 0]), "8.1 Bark lies inside the band"
    assert specific[:78].max() == 0.0, "nothing masks downwards"
    assert np.all(np.diff(specific[92:]) <= 1e-12), "a flank falls"
    assert sone[0] == pytest.approx(specific.sum() * 0.1, rel=0.03), "the area under it"


def rung(row, short_s=0.005, long_s=0.015, variable_s=0.075, fine=24, steps_per_s=2000):
    """The two capacitors of the standard's network, step by step: one charges the other as it discharges."""
    p, q = (variable_s + long_s) / (variable_s * short_s), 1 / (short_s * variable_s)
    first, second = -p / 2 + np.sqrt(p * p / 4 - q), -p / 2 - np.sqrt(p * p / 4 - q)
    span_s = 1 / (steps_per_s * fine)
    e1, e2, scale = np.exp(first * span_s), np.exp(second * span_s), variable_s * (first - second)
    a, b = variable_s * first + 1, variable_s * second + 1
    out, kept, inner = [], 0.0, 0.0
    for now, after in zip(row, [*row[1:], 0.0], strict=True):
        for i in range(fine):
            wanted = now + i * (after - now) / fine
            if wanted >= kept:
                inner = wanted + (inner - wanted) * np.exp(-span_s / variable_s) if wanted > inner else wanted
                kept = wanted
            elif kept > inner:
                charged = (kept * (e1 - e2) - inner * (b * e1 - a * e2)) / scale
                kept = max((kept * (a * e1 - b * e2) - inner * a * b * (e1 - e2)) / scale, wanted)
                inner = min(charged, kept)
            else:
                kept = inner = max(kept * np.exp(-span_s / long_s), wanted)
            if i == 0:
                out.append(kept)
    return np.array(out)


def test_decay_is_its_plain_twin():
    rng = np.random.default_rng(9)
    core = np.repeat(rng.random((2, 12)) * 3, 8, axis=1)
    wanted = [rung(row) for row in core]
    first, state = np.ascontiguousarray(core[:, :41]), np.zeros((2, 2))
    second = np.concatenate([core[:, 40:], np.zeros((2, 1))], axis=1)
    for part in (first, second):
        ring_on(part, state)
    np.testing.assert_allclose(np.concatenate([first[:, :-1], second[:, :-1]], axis=1), wanted, rtol=1e-10)


def test_a_rise_is_followed_at_once_and_a_fall_slowly():
    rising = np.linspace(0, 3, 40)[None].copy()
    held = rising.copy()
    ring_on(held, np.zeros((1, 2)))
    np.testing.assert_allclose(held[0, :-1], rising[0, :-1], atol=1e-9)
    fallen = np.zeros((1, 400))
    fallen[0, :100] = 2.0
    ring_on(fallen, np.zeros((1, 2)))
    assert np.all(np.diff(fallen[0, 100:]) <= 1e-12)
    # in 5 ms it falls far, then slowly by 75 ms
    assert fallen[0, 110] < 1.6
    assert fallen[0, 300] < 0.2


def test_the_slow_followers_are_one_pole_each():
    course, out = np.ones(50), np.empty(50)
    follow_course(course, 0.9, out)
    plain, y = [], 0.0
    for _ in range(49):
        for fine in range(24):
            y = 0.1 + 0.9 * y
            if fine == 0:
                plain.append(y)
    np.testing.assert_allclose(out[:49], plain, rtol=1e-12)
