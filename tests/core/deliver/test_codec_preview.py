"""What is coded and decoded is in time with the song, and what coding adds is the difference."""

import numpy as np
import pytest
import soundfile

from tests.conftest import RATE_HZ, music, recipe_of
from tin_kettle.core.deliver.codec_preview import as_coded
from tin_kettle.core.engine.source import ArraySource
from tin_kettle.core.errors import AudioError
from tin_kettle.core.survey.align import lag_frames

TRIM = {"id": "t", "kind": "trim", "params": {"gain_db": -3}}


@pytest.mark.parametrize(
    ("coder", "kbit_s", "rate_hz"), [("mp3", 320, 48000), ("ogg", 320, 44100), ("opus", 256, 44100)]
)
def test_it_is_in_time_to_the_sample_and_as_long(tmp_path, coder, kbit_s, rate_hz):
    sound = music(4.0, rate_hz) * 0.4
    out, added = tmp_path / "coded.wav", tmp_path / "added.wav"
    shares = []
    told = as_coded(recipe_of(TRIM), {"mix": ArraySource(sound, rate_hz)}, coder, kbit_s, out, added, shares.append)
    coded, found_hz = soundfile.read(out, always_2d=True)
    rest, _ = soundfile.read(added, always_2d=True)
    assert found_hz == rate_hz
    assert coded.shape == rest.shape == (sound.shape[1], 2)
    mastered = sound.T * 10 ** (-3 / 20)
    assert lag_frames(ArraySource(mastered.T, rate_hz), ArraySource(coded.T, rate_hz)) == 0
    np.testing.assert_allclose(coded - rest, mastered, atol=1e-6)
    assert np.mean(rest**2) < 0.05 * np.mean(mastered**2)
    assert told["coded"]["integrated_lufs"] == pytest.approx(told["mastered"]["integrated_lufs"], abs=0.5)
    assert shares[-1] == 1.0 and shares == sorted(shares)


def test_fewer_bits_add_more(tmp_path):
    sound = {"mix": ArraySource(music(4.0) * 0.4, RATE_HZ)}
    levels = []
    for kbit_s in (320, 64):
        as_coded(recipe_of(), sound, "mp3", kbit_s, tmp_path / "a.wav", tmp_path / "b.wav")
        levels.append(np.mean(soundfile.read(tmp_path / "b.wav")[0] ** 2))
    assert levels[1] > 4 * levels[0]


def test_silence_is_refused_in_words(tmp_path):
    silent = {"mix": ArraySource(np.zeros((2, RATE_HZ)), RATE_HZ)}
    with pytest.raises(AudioError, match="left nothing of the song"):
        as_coded(recipe_of(), silent, "mp3", 128, tmp_path / "a.wav", tmp_path / "b.wav")
    assert not list(tmp_path.iterdir())
