"""Files that work, and files that are refused with a remedy."""

import numpy as np
import pytest
import soundfile

from tests.conftest import noise
from tin_kettle.core.engine.source import PAGE_FRAMES, FileSource
from tin_kettle.core.errors import AudioError


def test_any_stretch_is_what_the_file_holds(wav):
    x = noise(-20, 2.0)
    source = FileSource(wav(x, subtype="DOUBLE"))
    for start, frames in ((0, 100), (PAGE_FRAMES - 5, 10), (50000, 46000), (95990, 100), (-20, 40), (200000, 5)):
        wanted = np.zeros((2, frames))
        low, high = max(start, 0), min(start + frames, x.shape[1])
        if low < high:
            wanted[:, low - start : high - start] = x[:, low:high]
        np.testing.assert_array_equal(source.read(start, frames), wanted)


@pytest.mark.parametrize(
    ("name", "subtype"), [("a.wav", "PCM_16"), ("a.flac", "PCM_24"), ("a.aiff", "PCM_24"), ("a.ogg", "VORBIS")]
)
def test_formats(tmp_path, name, subtype):
    soundfile.write(str(tmp_path / name), noise(-20, 0.5).T, 48000, subtype=subtype)
    source = FileSource(tmp_path / name)
    assert (source.frames, source.rate_hz) == (24000, 48000)
    assert np.abs(source.read(0, 24000)).max() > 0.1


def test_mono_becomes_two_equal_sides(wav):
    source = FileSource(wav(noise(-20, 0.1)[0]))
    x = source.read(0, 4800)
    np.testing.assert_array_equal(x[0], x[1])
    assert source.channels == 1


@pytest.mark.parametrize("rate_hz", [8000, 384000])
def test_extreme_rates_and_a_single_sample_work(wav, rate_hz):
    assert FileSource(wav(np.full((2, 1), 0.5), rate_hz=rate_hz)).read(0, 1).tolist() == [[0.5], [0.5]]


def test_refusals(tmp_path, wav):
    with pytest.raises(AudioError, match=r"is not there; name a WAV, FLAC, AIFF or OGG file"):
        FileSource(tmp_path / "none.wav")
    text = tmp_path / "notes.wav"
    text.write_text("not a sound")
    with pytest.raises(AudioError, match=r"notes\.wav is not a sound file"):
        FileSource(text)
    text.write_bytes(b"")
    with pytest.raises(AudioError, match=r"notes\.wav is empty"):
        FileSource(text)
    with pytest.raises(AudioError, match="has 3 channels; give a mono or stereo file"):
        FileSource(wav(np.zeros((3, 100)), "three.wav"))
    with pytest.raises(AudioError, match="holds no samples"):
        FileSource(wav(np.zeros((2, 0)), "none.wav"))
    with pytest.raises(AudioError, match="is at 4000 Hz; rates from 8000"):
        FileSource(wav(np.zeros((2, 9)), "slow.wav", rate_hz=4000))


def test_a_wav_cut_short_is_refused(wav):
    path = wav(noise(-20, 1.0))
    whole = path.read_bytes()
    path.write_bytes(whole[: len(whole) // 2])
    with pytest.raises(AudioError, match=r"is cut short: \d+ bytes of its sound are missing; copy it again"):
        FileSource(path)


def test_a_flac_cut_short_is_refused_when_it_is_read(tmp_path):
    path = tmp_path / "a.flac"
    soundfile.write(str(path), noise(-20, 2.0).T, 48000)
    whole = path.read_bytes()
    path.write_bytes(whole[: len(whole) // 2])
    source = FileSource(path)
    with pytest.raises(AudioError, match=r"copy it again"):
        for start in range(0, source.frames, 4096):
            source.read(start, 4096)


@pytest.mark.parametrize("wrong", [np.nan, np.inf, -np.inf])
def test_samples_that_are_no_numbers_are_refused(wav, wrong):
    x = noise(-20, 1.0)
    x[1, 24000] = wrong
    source = FileSource(wav(x, subtype="FLOAT"))
    with pytest.raises(AudioError, match=r"no number at 0\.500 s; bounce it again"):
        source.read(0, 48000)
