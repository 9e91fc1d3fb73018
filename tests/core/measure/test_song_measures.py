"""The other measurements, on signals whose answer is known."""

import numpy as np
import pytest

from tests import naive
from tests.conftest import music, noise, tone
from tin_kettle.core.dsp.svf import svf_cascade
from tin_kettle.core.measure.loudness import LoudnessMeter, k_weighting
from tin_kettle.core.measure.song_measures import SongMeter


def measured(x, rate_hz=48000, block=7000):
    meter = SongMeter(rate_hz)
    for at in range(0, x.shape[1], block):
        meter.feed(np.ascontiguousarray(x[:, at : at + block]))
    return meter.finish()


def test_nothing_depends_on_the_block_size():
    x = music(3.0)
    one, many = measured(x, block=x.shape[1]), measured(x, block=997)
    assert one.pop("spectrum") == many.pop("spectrum")
    for key, value in one.items():
        assert many[key] == pytest.approx(value, rel=1e-9), key


@pytest.mark.parametrize("rate_hz", [44100, 48000, 22050, 11025])
def test_slots_of_ten_milliseconds_equal_their_twin_at_any_rate(rate_hz):
    x = noise(-12, 0.4, rate_hz)
    meter = LoudnessMeter(rate_hz)
    for at in range(0, x.shape[1], 333):
        meter.feed(np.ascontiguousarray(x[:, at : at + 333]))
    weighted = x.copy()
    svf_cascade(weighted, k_weighting(rate_hz), np.zeros((2, 2, 2)))
    wanted = naive.slot_energies(weighted, rate_hz)
    np.testing.assert_allclose(meter.slots()[: len(wanted)], wanted, rtol=1e-9)


def test_correlation_offset_and_width():
    x = noise(-20, 2)
    assert measured(x)["correlation"] == pytest.approx(0, abs=0.02)
    assert measured(np.stack([x[0], -x[0]]))["correlation"] == pytest.approx(-1)
    assert measured(x + 0.01)["dc_offset"] == pytest.approx([0.01, 0.01], abs=5e-4)


def test_energy_shares_add_up():
    x = tone(20, -20, 4) + tone(1000, -20, 4) + tone(18000, -20, 4)
    found = measured(x)
    assert found["energy_below_30hz"] == pytest.approx(1 / 3, abs=0.01)
    assert found["energy_above_16khz"] == pytest.approx(1 / 3, abs=0.01)
    bass = tone(60, -20, 4)
    wide = np.stack([bass[0], 0 * bass[0]]) + tone(3000, -6, 4)
    assert measured(wide)["side_energy_below_120hz"] == pytest.approx(0.5, abs=0.01)


@pytest.mark.parametrize("seconds", [0.1, 1.3, 10])
@pytest.mark.parametrize("offset", [(0.02, -0.02), (0.05, 0.05), (0.3, 0.0)])
def test_an_offset_is_no_low_end(seconds, offset):
    block = tone(400, -30, seconds) + 0.3 * noise(-30, seconds)
    still, moved = measured(block), measured(block + np.array(offset)[:, None])
    for name in ("side_energy_below_120hz", "energy_below_30hz"):
        assert moved[name] == pytest.approx(still[name], abs=0.02)


def test_third_octaves_hold_the_whole_energy():
    x = tone(1000, -6, 4)
    spectrum = measured(x)["spectrum"]
    at = spectrum["hz"].index(1000.0)
    assert spectrum["mid_db"][at] == pytest.approx(-9.03, abs=0.05)
    assert spectrum["side_db"][at] < -150
    assert len(spectrum["hz"]) == len(spectrum["mid_db"]) == len(spectrum["side_db"]) == 31


def test_clipped_samples_come_in_runs():
    x = np.zeros((2, 4800))
    x[0, 10:12] = 1.0
    x[0, 20:25] = 1.0
    x[1, 30:33] = -1.0
    assert measured(x)["clipped_samples"] == 8
