"""Tamer: transparent at nothing, figures for what it may not do, plain twins of its kernels."""

import numpy as np
import pytest
import scipy.signal

from tests.conftest import RATE_HZ, music, noise, recipe_of, run, tone
from tin_kettle.core.dsp.resonance_cuts import (
    bump,
    cells,
    cut_bins,
    follow,
    heard_loss,
    nearest_bins,
    overlap,
    peak_line,
    power_of,
    spread,
    standing_out,
)
from tin_kettle.core.engine.graph.graph import Graph
from tin_kettle.core.engine.source import ArraySource
from tin_kettle.core.stages.processor import Processor
from tin_kettle.core.stages.tamer import CURVE_HZ, Tamer, TamerParams
from tin_kettle.core.survey.survey import Survey, survey_song


def played(block, *stages):
    graph = Graph(recipe_of(*stages), RATE_HZ)
    late = graph.delay
    return run(graph, np.concatenate([block, np.zeros((2, late))], axis=1))[:, late:]


def tamer(**params):
    return {"kind": "tamer", "params": params}


def at_db(block, hz):
    window = np.hanning(block.shape[1])
    turn = np.exp(-2j * np.pi * hz * np.arange(block.shape[1]) / RATE_HZ)
    return 20 * np.log10(2 * abs(np.sum(block[0] * window * turn)) / window.sum())


@pytest.mark.parametrize("idle", [{"strength": 0.0}, {"max_cut_db": 0.0}, {"threshold_db": 24.0}])
@pytest.mark.parametrize("resolution", [21, 43, 85, 170])
def test_what_takes_nothing_is_transparent(idle, resolution):
    block = noise(-12, 1.0)
    out = played(block, tamer(resolution_ms=resolution, **idle))
    assert np.abs(out - block).max() < 1e-12


def test_a_tone_that_stands_out_is_taken_and_its_neighbour_is_left_alone():
    bed = noise(-50, 4.0)
    block = bed + tone(6000, -20, 4.0) + tone(2000, -42, 4.0)
    out = played(block, tamer(strength=1.0, max_cut_db=12, threshold_db=6))
    tail = slice(96000, 190000)
    assert at_db(out[:, tail], 6000) == pytest.approx(-32, abs=0.3)
    removed = played(block, tamer(strength=1.0, max_cut_db=12, threshold_db=6, keep="removed"))
    np.testing.assert_allclose(out + removed, block, atol=1e-9)


def test_a_steady_tone_beside_a_tamed_one_does_not_waver():
    """At most 0.1 dB, where what is tamed comes and goes."""
    on_off = (np.sin(2 * np.pi * 2 * np.arange(4 * RATE_HZ) / RATE_HZ) > 0).astype(float)
    block = noise(-60, 4.0) + tone(6000, -20, 4.0) * on_off + tone(3000, -30, 4.0)
    out = played(block, tamer(strength=0.5, threshold_db=6, focus_low_hz=4500))
    turn = np.exp(-2j * np.pi * 3000 * np.arange(out.shape[1]) / RATE_HZ)
    window = np.hanning(4800)
    levels = [
        20 * np.log10(abs(np.sum(out[0, at : at + 4800] * turn[at : at + 4800] * window)))
        for at in range(48000, 180000, 480)
    ]
    assert max(levels) - min(levels) < 0.1


def test_a_click_has_no_echo_before_it():
    """At moderate settings what comes 2 ms or more before a click, earlier than the ear masks, stays 60 dB below it."""
    block = np.zeros((2, RATE_HZ))
    block[:, 24000] = 0.9
    held = tone(5000, -40, 1.0)
    settings = {"strength": 0.5, "threshold_db": 3}
    with_click, without = (played(x, tamer(**settings)) for x in (block + held, held))
    before = np.abs(with_click - without)[:, 20000 : 24000 - 96]
    assert 20 * np.log10(before.max() / 0.9) < -60


def test_the_survey_keeps_what_was_taken_on_average(tmp_path):
    """A tone that is tamed by 12 dB in one half of the song is cut by 6 dB on average, what lies apart by nothing."""
    on_off = (np.arange(4 * RATE_HZ) < 2 * RATE_HZ).astype(float)
    block = noise(-60, 4.0) + tone(6000, -20, 4.0) * on_off
    recipe = recipe_of({**tamer(strength=1.0, max_cut_db=12, threshold_db=6), "id": "n"})
    survey = survey_song(recipe, {"mix": ArraySource(block, RATE_HZ)})
    survey.save(tmp_path / "kept.npz")
    cut_db = Survey.load(tmp_path / "kept.npz").curves["n"]["cut_db"]
    assert cut_db[np.argmin(np.abs(CURVE_HZ - 6000))] == pytest.approx(6, abs=0.5)
    assert cut_db[CURVE_HZ < 3000].max() < 0.3


def test_both_sides_are_cut_alike():
    block = noise(-40, 2.0)
    block[0] += tone(5000, -15, 2.0)[0]
    out = played(block, tamer(strength=1.0, threshold_db=3))
    wanted = np.fft.rfft(out[:, 40000:72768] * np.hanning(32768))
    given = np.fft.rfft(block[:, 40000:72768] * np.hanning(32768))
    ratio = np.abs(wanted) / np.abs(given)
    near = slice(3400, 3420)
    assert 20 * np.log10(np.mean(ratio[0, near])) == pytest.approx(20 * np.log10(np.mean(ratio[1, near])), abs=1.5)


def in_bands_db(given, out, rate_hz=RATE_HZ):
    """What each third octave from 1.25 kHz has gained, (bands, half seconds)."""
    frames = rate_hz // 2
    count = given.shape[1] // frames
    hz = np.fft.rfftfreq(frames, 1 / rate_hz)
    was, now = (
        np.abs(np.fft.rfft(x[0, : count * frames].reshape(count, frames) * np.hanning(frames))) ** 2
        for x in (given, out)
    )
    bands = [(hz > f / 1.122) & (hz < f * 1.122) for f in 1000 * 10 ** (np.arange(1, 13) / 10)]
    return np.array([10 * np.log10(now[:, band].sum(axis=1) / was[:, band].sum(axis=1)) for band in bands])


def pink(seconds, seed=1):
    rng = np.random.default_rng(seed)
    spectrum = np.fft.rfft(rng.standard_normal(round(seconds * RATE_HZ)))
    spectrum[1:] /= np.sqrt(np.arange(1, spectrum.size))
    made = np.fft.irfft(spectrum)
    return np.stack([made, made]) * 0.1 / made.std()


@pytest.mark.parametrize("block", [pink(8.0), noise(-20, 8.0), np.repeat(noise(-20, 8.0)[:1], 2, axis=0)])
@pytest.mark.parametrize("rate_hz", [44100, 48000])
def test_noise_keeps_its_tone(block, rate_hz):
    graph = Graph(recipe_of(tamer()), rate_hz)
    out = run(graph, np.concatenate([block, np.zeros((2, graph.delay))], axis=1))[:, graph.delay :]
    assert np.abs(in_bands_db(block, out, rate_hz).mean(axis=1)).max() < 0.2


def test_steady_chords_keep_theirs():
    rng, t = np.random.default_rng(2), np.arange(RATE_HZ // 2) / RATE_HZ
    made = []
    for _ in range(24):
        root = 110 * 2 ** (rng.choice([0, 3, 5, 7, 10]) / 12)
        partials = [root * ratio * number for ratio in (1, 1.5, 2.52, 4) for number in range(1, 40)]
        decay = [
            np.exp(-t * (1 + hz / 2000)) * np.sin(2 * np.pi * hz * t) / (hz / 110) for hz in partials if hz < 18000
        ]
        made.append(0.1 * np.sum(decay, axis=0))
    block = np.repeat(np.concatenate(made)[None], 2, axis=0) + noise(-70, 12.0)
    gained = in_bands_db(block, played(block, tamer()))
    assert np.median(gained, axis=1).min() > -0.5
    assert np.percentile(gained, 10, axis=1).min() > -3.0


@pytest.mark.parametrize("ring_db", [6.0, 12.0])
@pytest.mark.parametrize("hz", [2500.0, 5000.0])
def test_a_ring_that_comes_and_goes_is_taken_to_within_two_db(ring_db, hz):
    bed = pink(8.0)
    a, w = 10 ** (ring_db / 40), 2 * np.pi * hz / RATE_HZ
    alpha = np.sin(w) / 20
    top, bottom = [1 + alpha * a, -2 * np.cos(w), 1 - alpha * a], [1 + alpha / a, -2 * np.cos(w), 1 - alpha / a]
    rings = (np.arange(bed.shape[1]) // (RATE_HZ // 2)) % 2 == 1
    block = np.where(rings, scipy.signal.lfilter(top, bottom, bed), bed)

    def power_near(x):
        return np.sum(np.abs(np.fft.rfft(x[0] * rings))[round(hz * 7.8) : round(hz * 8.2)] ** 2)

    for strength, threshold_db in ((1.0, 0.0), (1.0, 3.0), (0.5, 3.0)):
        out = played(block, tamer(strength=strength, threshold_db=threshold_db))
        taken = 10 * np.log10(power_near(block) / power_near(out))
        assert taken == pytest.approx(strength * (ring_db - threshold_db), abs=2.0)


def test_noise_stays_noise():
    """No musical noise: single bins of a frame may not stand out of tamed noise more than they did of the noise.

    The figure is the 99.9th percentile of the bins' level re their mean: isolated bins that come and go are what is
    heard as ringing.
    """
    block = noise(-20, 4.0)
    out = played(block, tamer(strength=1.0, threshold_db=3, width_oct=0.1))

    def stands_out(x):
        frames = np.lib.stride_tricks.sliding_window_view(x[0, 20000:150000], 2048)[::1024] * np.hanning(2048)
        power = np.abs(np.fft.rfft(frames)) ** 2
        return 10 * np.log10(np.percentile(power / power.mean(axis=0), 99.9))

    assert stands_out(out) <= stands_out(block) + 0.1


def test_kernels_are_their_plain_twins():
    rng = np.random.default_rng(3)
    hz = np.arange(200) * 100.0 + 50.0
    power = rng.random((3, 200)) ** 4
    place = cells(hz, 0.3)
    peaks, made = np.empty((3, 200)), np.empty((3, 200))
    peak_line(power, place, nearest_bins(place), 60, peaks, made)
    points = np.arange(round(place[-1]) + 1)
    on = np.floor(place + 0.5).astype(int)
    for row, row_peaks, row_made in zip(power, peaks, made, strict=True):
        of_point = [max(row[on == c], default=row[np.argmin(np.abs(place - c))]) for c in points]
        highest = np.array([max(of_point[max(c - 8, 0) : c + 9]) for c in points])
        np.testing.assert_array_equal(row_peaks, highest[on])
        others = [(np.abs(points - c) > 24) & (np.abs(points - c) <= 60) for c in on]
        np.testing.assert_allclose(row_made, [10**-0.13 * highest[at].mean() for at in others], rtol=1e-9)
    cut = np.maximum(rng.normal(0, 4, (3, 200)), 0)
    cut[2] = 0.0
    wide = np.empty((3, 200))
    spread(cut, cells(hz, 0.3), bump(), wide)
    apart = np.abs(np.log2(hz[:, None] / hz[None, :])) / 0.3
    shape = np.where(apart < 1, 0.5 + 0.5 * np.cos(np.pi * np.minimum(apart, 1)), 0)
    plain = [(shape * row).max(axis=1) for row in cut]
    # on a grid of sixteenths of the width a top is at most a thirty-second off, on a flank that falls by π/2 a width
    assert np.all(wide >= cut)
    np.testing.assert_allclose(wide, np.maximum(plain, cut), atol=0.05 * cut.max())
    told, line = np.empty((3, 3, 200)), made
    standing_out(power, line, 2.0, 0.7, 9.0, -40.0, 20, 150, told)
    level, reference = 10 * np.log10(power), 10 * np.log10(line)
    wanted = np.clip(0.7 * (level - reference - 2.0), 0.0, 9.0)
    wanted[(level < -40.0) | (np.arange(200) < 20) | (np.arange(200) >= 150)] = 0.0
    np.testing.assert_allclose(told, [level, reference, wanted], atol=1e-9)
    lost = np.empty(3)
    heard_loss(power, cut, np.array([0, 20, 21, 150]), -60.0, lost)
    bands = [slice(0, 20), slice(20, 21), slice(21, 150)]
    left = [
        [(row[b] * 10 ** (-c[b] / 10)).sum() / row[b].sum() for b in bands] for row, c in zip(power, cut, strict=True)
    ]
    np.testing.assert_allclose(lost, 10 * np.log10(np.min(left, axis=1)), atol=1e-9)
    held, moved = cut[0].copy(), wide.copy()
    follow(moved, 0.3, 0.1, held)
    plain, now = [], cut[0]
    for row in wide:
        now = now + np.where(row > now, 0.3, 0.1) * (row - now)
        plain.append(now)
    np.testing.assert_allclose(moved, plain, atol=1e-5)
    np.testing.assert_allclose(held, plain[-1], atol=1e-5)


def test_frames_are_weighed_and_laid_over_each_other_like_their_twins():
    rng = np.random.default_rng(4)
    spectra = rng.standard_normal((2, 2, 9)) + 1j * rng.standard_normal((2, 2, 9))
    power, cut = np.empty((2, 9)), rng.random((2, 9)) * 12
    power_of(spectra, 3.0, power)
    np.testing.assert_allclose(power, 0.5 * (np.abs(spectra) ** 2).sum(axis=1) / 3.0)
    for removed in (False, True):
        made = spectra.copy()
        cut_bins(made, cut, removed)
        gain = 10 ** (-cut / 20)[:, None]
        np.testing.assert_allclose(made, spectra * (1 - gain if removed else gain), atol=1e-12)
    frames, window, coming = rng.standard_normal((3, 2, 8)), rng.random(8), rng.standard_normal((2, 8))
    ready, total = np.empty((2, 6)), np.concatenate([coming, np.zeros((2, 6))], axis=1)
    for number, frame in enumerate(frames):
        total[:, 2 * number : 2 * number + 8] += frame * window
    overlap(frames, window, coming, ready)
    np.testing.assert_allclose(ready, total[:, :6])
    np.testing.assert_allclose(coming, total[:, 6:])


def test_the_frames_lie_alike_wherever_one_begins_to_listen():
    assert isinstance(Tamer(TamerParams(), RATE_HZ), Processor)
    block = music(2.0)
    whole = played(block, tamer(strength=1.0, threshold_db=0))
    graph = Graph(recipe_of(tamer(strength=1.0, threshold_db=0)), RATE_HZ)
    late = run(graph, np.concatenate([block[:, 10001:], np.zeros((2, graph.delay))], axis=1), 10001)[:, graph.delay :]
    np.testing.assert_allclose(late[:, 60000:], whole[:, 70001:], atol=1e-3)
