"""A file that is cut short anywhere in its sound is told, whatever its container; a whole one is taken as it is."""

import re

import numpy as np
import pytest
import soundfile

from tests.conftest import noise
from tin_kettle.core.engine.source import FileSource
from tin_kettle.core.errors import AudioError

CONTAINERS = {
    "wav": ("WAV", "PCM_24"),
    "rf64": ("RF64", "PCM_16"),
    "w64": ("W64", "PCM_24"),
    "aiff": ("AIFF", "PCM_24"),
    "flac": ("FLAC", "PCM_16"),
    "vorbis": ("OGG", "VORBIS"),
    "opus": ("OGG", "OPUS"),
}


def read_all(path):
    source = FileSource(path)
    try:
        return source.read(0, source.frames)
    finally:
        source.close()


@pytest.fixture(params=CONTAINERS)
def whole(request, tmp_path):
    kind, subtype = CONTAINERS[request.param]
    path = tmp_path / "in.bin"
    soundfile.write(str(path), noise(-20, 3.0).T, 48000, format=kind, subtype=subtype)
    return path


def test_a_whole_file_is_read_to_its_end(whole):
    assert abs(read_all(whole).shape[1] - 3 * 48000) < 1000


@pytest.mark.parametrize("kept", [0.25, 0.6, 0.95, 0.999])
def test_a_file_cut_short_is_refused(whole, kept):
    data = whole.read_bytes()
    whole.write_bytes(data[: round(len(data) * kept)])
    with pytest.raises(AudioError, match=r"cut short|can(not)? be read"):
        read_all(whole)


def test_sound_of_no_stated_length_is_told_so(tmp_path):
    path = tmp_path / "in.flac"
    soundfile.write(str(path), noise(-20, 1.0).T, 48000, format="FLAC")
    data = bytearray(path.read_bytes())
    # STREAMINFO (RFC 9639): 36 bits of total samples end at byte 26
    data[21] &= 0xF0
    data[22:26] = bytes(4)
    path.write_bytes(data)
    with pytest.raises(AudioError, match=r"in.flac does not state how long it is"):
        read_all(path)


def test_what_a_recorder_left_without_a_length_is_as_long_as_the_file(tmp_path):
    path = tmp_path / "in.wav"
    soundfile.write(str(path), noise(-20, 1.0).T, 48000, subtype="PCM_16")
    data = bytearray(path.read_bytes())
    at = data.index(b"data")
    data[at + 4 : at + 8] = b"\xff" * 4
    path.write_bytes(data)
    assert read_all(path).shape == (2, 48000)
    assert np.isfinite(read_all(path)).all()


@pytest.mark.parametrize("subtype", ["VORBIS", "OPUS"])
def test_recordings_in_a_row_and_missing_pages_are_told(tmp_path, subtype):
    path = tmp_path / "in.ogg"
    soundfile.write(str(path), noise(-20, 4.0).T, 48000, format="OGG", subtype=subtype)
    data = path.read_bytes()
    path.write_bytes(data + data)
    with pytest.raises(AudioError, match=r"in.ogg holds several recordings one after the other; bring each as"):
        FileSource(path)
    pages = [m.start() for m in re.finditer(b"OggS", data)]
    path.write_bytes(data[: pages[3]] + data[pages[4] :])
    with pytest.raises(AudioError, match=r"in.ogg is cut short: page 3 is missing; copy it again"):
        FileSource(path)


@pytest.mark.parametrize("seconds", [1.0, 12.0])
@pytest.mark.parametrize("subtype", ["PCM_16", "PCM_24"])
def test_a_flac_that_states_less_than_it_holds_is_told(tmp_path, seconds, subtype):
    path = tmp_path / "in.flac"
    frames = noise(-20, seconds).shape[1]
    soundfile.write(str(path), noise(-20, seconds).T, 48000, format="FLAC", subtype=subtype)
    assert read_all(path).shape[1] == frames
    data = bytearray(path.read_bytes())
    data[21] = data[21] & 0xF0
    data[22:26] = (frames // 2).to_bytes(4, "big")
    path.write_bytes(data)
    with pytest.raises(AudioError, match=r"in.flac states that it is shorter than it is; save it again"):
        FileSource(path)
