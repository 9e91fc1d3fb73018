"""Every place's curve does what its sentence says."""

import numpy as np
import pytest

from tin_kettle.core.listen.speakers import PLACES, STREAMING_LUFS, place_curve_db, turn_down_db

HZ = np.geomspace(20, 20000, 400)


def at(name, hz, rate_hz=48000):
    return float(place_curve_db(name, np.array([float(hz)]), rate_hz)[0])


@pytest.mark.parametrize("name", ["studio", "converter", "streaming"])
def test_what_changes_no_tone_is_flat(name):
    np.testing.assert_allclose(place_curve_db(name, HZ, 48000), 0.0, atol=1e-9)


@pytest.mark.parametrize(("name", "corner"), [("phone", 400), ("laptop", 180), ("radio", 110), ("club", 28)])
def test_small_speakers_have_no_lows(name, corner):
    assert at(name, corner / 4) < at(name, 1000) - 20
    assert at(name, corner * 3) > at(name, 1000) - 6


def test_each_has_the_colour_that_its_sentence_names():
    assert at("phone", 3000) > at("phone", 1000) + 3, "a bite near 3 kHz"
    assert at("laptop", 900) > at("laptop", 4000) + 2, "boxy"
    assert at("radio", 250) > at("radio", 1500) + 3, "thick near 250 Hz"
    assert at("radio", 14000) < at("radio", 3000) - 9, "dull above 7 kHz"
    assert at("car", 50) > 3, "strong lows"
    assert at("car", 12000) < -2, "soft highs"
    assert at("club", 60) > at("club", 1000) + 3, "lows are up"


@pytest.mark.parametrize("rate_hz", [8000, 22050, 44100, 192000])
@pytest.mark.parametrize("name", PLACES)
def test_a_place_sounds_alike_at_every_rate(name, rate_hz):
    # as far as the rate goes, and short of where a corner had to come down
    hz = HZ[min(2000, 0.2 * rate_hz) > HZ]
    np.testing.assert_allclose(place_curve_db(name, hz, rate_hz), place_curve_db(name, hz, 48000), atol=2.5)


def test_one_speaker_is_mono():
    assert {name for name, place in PLACES.items() if place.mono} == {"phone", "radio", "club"}
    assert all(place.says.endswith(".") for place in PLACES.values())


def test_a_service_only_ever_turns_down():
    assert turn_down_db(STREAMING_LUFS + 5) == -5
    assert turn_down_db(STREAMING_LUFS - 5) == 0
    assert turn_down_db(None) == 0
