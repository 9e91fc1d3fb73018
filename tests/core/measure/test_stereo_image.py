"""The stereo image of a passage, and what a stage adds to the music beside its level."""

import numpy as np
import pytest

from tests.conftest import RATE_HZ, music, noise, recipe_of, tone
from tin_kettle.core.engine.source import ArraySource
from tin_kettle.core.measure.distortion import AddedMeter
from tin_kettle.core.measure.loudness import Weighing, k_weighting
from tin_kettle.core.measure.stereo_image import BANDS_HZ, CELLS, stereo_image
from tin_kettle.core.survey.findings import find
from tin_kettle.core.survey.stage_image import images_of, told, worst_mono
from tin_kettle.core.survey.survey import survey_song


def band_at(hz):
    return int(np.argmin(np.abs(BANDS_HZ - hz)))


def test_what_is_alike_agrees_and_what_is_turned_round_cancels():
    one = noise(-12, 2.0)[0]
    for sides, correlation, share in ((np.stack([one, one]), 1.0, 0.0), (np.stack([one, -one]), -1.0, 1.0)):
        image = stereo_image(sides, RATE_HZ)
        np.testing.assert_allclose(image.correlation, correlation, atol=1e-6)
        np.testing.assert_allclose(image.side_share, share, atol=1e-6)


def test_ranges_have_images_of_their_own():
    low, high = tone(100, -12, 2.0), tone(5000, -12, 2.0)
    image = stereo_image(low + high * np.array([[1.0], [-1.0]]), RATE_HZ)
    assert image.correlation[band_at(100)] > 0.99
    assert image.correlation[band_at(5000)] < -0.99
    assert image.side_share[band_at(5000)] == pytest.approx(1.0, abs=1e-3)
    apart = stereo_image(noise(-12, 4.0), RATE_HZ)
    assert apart.side_share[band_at(2000)] == pytest.approx(0.5, abs=0.03), "sides that have nothing in common"


def test_one_side_alone_and_silence_have_no_correlation():
    left = tone(1000, -6, 1.0) * np.array([[1.0], [0.0]])
    image = stereo_image(left, RATE_HZ)
    assert np.isnan(image.correlation[band_at(1000)])
    assert image.side_share[band_at(1000)] == pytest.approx(0.5, abs=1e-6)
    nothing = stereo_image(np.zeros((2, 4800)), RATE_HZ)
    assert np.isnan(nothing.side_share).all()
    assert nothing.mono_loss_lu is None
    assert nothing.document()["correlation"][0] is None
    assert not nothing.density.any()


def test_the_scope_has_mid_upwards_and_left_at_the_left():
    middle = CELLS // 2
    mono = stereo_image(tone(1000, -6, 1.0), RATE_HZ).density
    assert mono[:, middle].sum() == pytest.approx(mono.sum())
    left = np.argwhere(stereo_image(tone(1000, -6, 1.0) * np.array([[1.0], [0.0]]), RATE_HZ).density > 0)
    # a diagonal from up left to down right
    assert all(row == column for row, column in left)


def test_a_stage_is_told_by_what_comes_and_what_leaves():
    recipe = recipe_of({"id": "w", "kind": "stereo", "params": {"width": 2.0}}, {"kind": "trim"})
    sound = music(4.0)
    before, after = images_of(recipe, "w", {"mix": ArraySource(sound, RATE_HZ)}, 0, sound.shape[1])
    there = ~np.isnan(before.side_share)
    share = before.side_share[there]
    np.testing.assert_allclose(after.side_share[there], 4 * share / (1 + 3 * share), atol=0.02)
    assert "in mono the passage loses" in told(before, after, None)["words"]


def test_where_mono_loses_most_is_found_and_blamed_on_what_widened_it():
    one = tone(700, -20, 12.0)
    sound = np.stack([one[0], one[0]])
    turned = slice(5 * RATE_HZ, 9 * RATE_HZ)
    sound[:, turned] += noise(-18, 4.0)
    source = {"mix": ArraySource(sound, RATE_HZ)}
    wide = recipe_of({"id": "w", "kind": "stereo", "params": {"width": 1.9}})
    received, now = survey_song(recipe_of(), source), survey_song(wide, source)
    lost, at_s = worst_mono(now)
    assert 5.5 < at_s < 8.5
    assert lost > 1.0
    found = {finding.id: finding for finding in find(now, received, wide)}
    assert 5.5 < found["costs-mono"].at_s < 8.5
    assert "costs-mono" not in {finding.id for finding in find(received, received, recipe_of())}


def test_a_level_that_moves_slowly_adds_nothing_and_a_bent_waveform_does():
    x = tone(997, -10, 2.0)
    slowly = np.cos(np.linspace(0, np.pi / 2, x.shape[1]))

    def added(y):
        meter, came = AddedMeter(RATE_HZ), Weighing(k_weighting(RATE_HZ)).weigh(np.ascontiguousarray(x))
        for at in range(0, x.shape[1], 5000):
            meter.feed(came[:, at : at + 5000], np.ascontiguousarray(y[:, at : at + 5000]))
        return meter.added_db

    assert added(x) == -100
    assert added(x * slowly) < -50
    # the third harmonic of a known share: K-weighting lifts 2991 Hz by some 3 dB over 997 Hz
    bent = x + 0.01 * tone(2991, -10, 2.0)
    assert added(bent) == pytest.approx(-40 + 3.0, abs=1.0)
