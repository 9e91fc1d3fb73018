"""Ways of listening: each fold, range and place does what its name says and nothing when it is plain."""

import numpy as np
import pytest

from tests.conftest import RATE_HZ, noise, recipe_of, tone
from tin_kettle.core.errors import RecipeError
from tin_kettle.core.listen.listening_settings import Listening, parse_listening, silent_buses
from tin_kettle.core.listen.monitor import Monitor
from tin_kettle.core.listen.speakers import PLACES, place_curve_db, turn_down_db


def heard(x, turn_down=0.0, **setting):
    monitor = Monitor(Listening(**setting), RATE_HZ, turn_down)
    parts = [monitor.process(x[:, at : at + 1024].copy()) for at in range(0, x.shape[1], 1024)]
    return np.concatenate(parts, axis=1)


def level_db(x):
    return 10 * np.log10(np.mean(x[:, 12000:] ** 2) + 1e-20)


def test_plain_listening_is_bit_exact():
    x = noise(-20, 0.3)
    np.testing.assert_array_equal(heard(x), x)


@pytest.mark.parametrize(
    ("fold", "matrix"),
    [
        ("mono", [[0.5, 0.5], [0.5, 0.5]]),
        ("mono_one", [[0.5, 0.5], [0, 0]]),
        ("mid", [[0.5, 0.5], [0.5, 0.5]]),
        ("side", [[0.5, -0.5], [0.5, -0.5]]),
        ("left", [[1, 0], [1, 0]]),
        ("right", [[0, 1], [0, 1]]),
    ],
)
def test_folds(fold, matrix):
    x = noise(-20, 0.1)
    np.testing.assert_allclose(heard(x, fold=fold), np.array(matrix) @ x, atol=1e-15)


@pytest.mark.parametrize(
    ("setting", "passes", "stops"),
    [
        ({"range": "lows", "high_hz": 120.0}, [40, 80], [240, 1000]),
        ({"range": "band", "low_hz": 1000.0, "high_hz": 2000.0}, [1400], [400, 5000]),
    ],
)
def test_ranges_are_steep(setting, passes, stops):
    for hz in passes:
        assert level_db(heard(tone(hz, -20, 1.0), **setting)) == pytest.approx(-23.01, abs=0.7)
    for hz in stops:
        assert level_db(heard(tone(hz, -20, 1.0), **setting)) < -60


def test_places_have_a_sentence_a_curve_and_a_sound():
    hz = np.array([30.0, 60.0, 1000.0, 3000.0])
    for place in PLACES.values():
        assert place.says.endswith(".")
        curve = place_curve_db(place.name, hz, RATE_HZ)
        for at, wanted in zip(hz, curve, strict=True):
            if wanted > -40 and place.gives_up_db is None:
                out = heard(tone(at, -30, 1.0), place=place.name)
                assert level_db(out) == pytest.approx(-33.01 + wanted, abs=0.1), (place.name, at)
    assert place_curve_db("phone", hz, RATE_HZ)[1] < -50
    side = np.stack([np.sin(np.arange(48000) / 9.0), -np.sin(np.arange(48000) / 9.0)]) * 0.1
    assert level_db(heard(side, place="club")) < -150, "what is only wide is gone in mono"


def test_the_cheap_converter_clips_what_peaks_between_samples_only():
    # a quarter of the rate, an eighth of a turn off: samples at 0.78, peaks at 1.1
    x = tone(12000, 20 * np.log10(1.1), 0.5, phase=np.pi / 4)
    assert np.abs(x).max() < 0.79
    rounded = heard(x, place="converter")
    clean = heard(x * 0.5, place="converter") * 2
    assert level_db(rounded) < level_db(clean) - 0.2


def test_a_streaming_service_turns_down_and_never_up():
    assert turn_down_db(-8.0) == -6.0
    assert turn_down_db(-20.0) == 0.0
    assert turn_down_db(None) == 0.0
    x = noise(-20, 0.5)
    assert level_db(heard(x, -6.0, place="streaming")) == pytest.approx(level_db(x) - 6.0, abs=1e-9)


def test_solo_and_mute_know_groups():
    buses = [{"id": "kick", "group": "drums"}, {"id": "snare", "group": "drums"}, {"id": "bass"}]
    recipe = recipe_of(buses=buses, groups=[{"id": "drums"}])
    assert silent_buses(recipe, Listening(solo=("drums",))) == {"bass"}
    assert silent_buses(recipe, Listening(solo=("kick",))) == {"snare", "bass"}
    assert silent_buses(recipe, Listening(muted=("drums",))) >= {"kick", "snare"}
    assert silent_buses(recipe, Listening()) == set()


def test_a_wrong_setting_is_refused():
    with pytest.raises(RecipeError, match="listening fold: 'sideways' is not allowed"):
        parse_listening({"fold": "sideways"})
