"""The ceiling that a print holds after rate conversion, band-limit, level and fades: what the chain itself reached."""

import numpy as np
import pytest
from scipy.signal import butter, sosfiltfilt

from tests.conftest import RATE_HZ, music, noise, recipe_of, tone
from tests.core.deliver.test_printing import printed

SONG = sosfiltfilt(butter(8, 15000, fs=RATE_HZ, output="sos"), music(4.0) * 0.7)
"""Nothing near the upper end: there a peak depends on who looks for it."""


def measured(tmp_path, recipe, **settings):
    found = printed(tmp_path, SONG, recipe=recipe, bits="32f", **settings)[2].measures
    return found["integrated_lufs"], found["true_peak_dbtp"]


@pytest.mark.parametrize(
    "settings", [{"rate_hz": 44100}, {"band_limit": True}, {"fade_out_s": 0.2}, {"gain_db": -0.001}], ids=str
)
def test_a_limiter_whose_gain_moves_is_not_pushed_twice(tmp_path, settings):
    points = [{"at": 0, "value": 3.0, "ramp": "line"}, {"at": 4, "value": 12.0}]
    recipe = recipe_of(
        {"id": "top", "kind": "limiter", "params": {"ceiling_db": -1}},
        automation=[{"target": "top", "param": "gain_db", "points": points}],
    )
    plain_lufs, _ = measured(tmp_path, recipe)
    lufs, peak_dbtp = measured(tmp_path, recipe, **settings)
    assert lufs == pytest.approx(plain_lufs, abs=0.3)
    assert peak_dbtp <= -0.95


@pytest.mark.parametrize("rate_hz", [44100, 96000])
@pytest.mark.parametrize("gain_db", [4.0, -5.0])
def test_a_limiter_that_is_not_last_does_not_limit_the_finished_sum(tmp_path, rate_hz, gain_db):
    limiter = {"kind": "limiter", "params": {"gain_db": 8, "ceiling_db": -6}}
    last = recipe_of(limiter)
    followed = recipe_of(limiter, {"kind": "trim", "params": {"gain_db": gain_db}})
    last_lufs, last_dbtp = measured(tmp_path, last, rate_hz=rate_hz)
    lufs, peak_dbtp = measured(tmp_path, followed, rate_hz=rate_hz)
    assert lufs == pytest.approx(last_lufs + gain_db, abs=0.02)
    assert peak_dbtp == pytest.approx(last_dbtp + gain_db, abs=0.02)


def test_the_last_limiter_holds_its_ceiling_as_it_moves(tmp_path):
    points = [{"at": 0, "value": -1.0}, {"at": 1.5, "value": -9.0}]
    recipe = recipe_of(
        {"id": "top", "kind": "limiter", "params": {"gain_db": 6}},
        automation=[{"target": "top", "param": "ceiling_db", "points": points}],
    )
    out, _, _ = printed(tmp_path, noise(-9, 3.0), recipe=recipe, bits="32f", band_limit=True)
    assert 20 * np.log10(np.abs(out[:, 80000:]).max()) <= -8.95


def test_what_follows_a_limiter_that_is_off_later_is_still_held_where_the_chain_was(tmp_path):
    off = {"at": 2.0, "value": False}
    recipe = recipe_of(
        {"id": "top", "kind": "limiter", "params": {"gain_db": 3, "ceiling_db": -12}},
        automation=[{"target": "top", "param": "on", "points": [{"at": 0, "value": True}, off]}],
    )
    x = tone(1000, -3, 4.0)
    out, _, _ = printed(tmp_path, x, recipe=recipe, bits="32f", band_limit=True)
    assert 20 * np.log10(np.abs(out[0, 3 * RATE_HZ : 4 * RATE_HZ - 2000]).max()) == pytest.approx(-3, abs=0.05)
