"""A reference at another rate is converted once, whoever asks for it, and nothing half-done is ever there."""

import threading

import numpy as np
import pytest

from tests.conftest import noise
from tin_kettle.core.errors import AudioError
from tin_kettle.store import derived
from tin_kettle.store.sources import keep_source, receive, source_path
from tin_kettle.web import rate_conversion
from tin_kettle.web.open_files import OpenFiles
from tin_kettle.web.rate_conversion import ConvertedFiles


@pytest.fixture
def source(library, wav):
    data = wav(noise(-20, 2.0), rate_hz=44100).read_bytes()
    return keep_source(library, *receive(library, iter([data])), "Tide Table.wav")


def test_two_who_ask_at_once_get_the_same_and_it_is_made_once(library, source, monkeypatch):
    made, opened, convert = [], [], rate_conversion._convert
    monkeypatch.setattr(rate_conversion, "_convert", lambda *given: (made.append(given), convert(*given)))
    converted = ConvertedFiles(OpenFiles())
    asking = [threading.Thread(target=lambda: opened.append(converted.open(library, source, 48000))) for _ in range(6)]
    for thread in asking:
        thread.start()
    for thread in asking:
        thread.join()
    assert len(made) == 1
    assert {file.frames for file in opened} == {round(source.frames * 48000 / 44100)}
    np.testing.assert_array_equal(opened[0].read(500, 4000), opened[5].read(500, 4000))
    assert not list(library.folder("audio").glob("*.part"))


def test_at_its_own_rate_it_is_the_file_itself(library, source):
    file = ConvertedFiles(OpenFiles()).open(library, source, 44100)
    assert file.path == source_path(library, source)


def test_a_conversion_that_fails_leaves_nothing_and_may_be_tried_again(library, source):
    path = source_path(library, source)
    whole = path.read_bytes()
    path.write_bytes(whole[:2000])
    converted = ConvertedFiles(OpenFiles())
    with pytest.raises(AudioError):
        converted.open(library, source, 48000)
    assert sorted(p.name for p in library.folder("audio").iterdir()) == [path.name]
    path.write_bytes(whole)
    converted.open(library, source, 48000).close()


def test_a_damaged_conversion_is_made_again(library, source):
    first = ConvertedFiles(OpenFiles()).open(library, source, 48000)
    whole, path = first.read(0, first.frames), first.path
    first.close()
    data = bytearray(path.read_bytes())
    data[-1000] ^= 255
    path.write_bytes(data)
    # another process, which has not looked at it yet
    derived._intact.clear()
    again = ConvertedFiles(OpenFiles()).open(library, source, 48000)
    np.testing.assert_array_equal(again.read(0, again.frames), whole)


def test_a_file_that_takes_the_place_of_another_is_opened_anew(library, source):
    opened, path = OpenFiles(), source_path(library, source)
    before = opened.open(path)
    assert opened.open(path) is before
    data = path.read_bytes()
    beside = path.with_suffix(".part")
    beside.write_bytes(data)
    beside.replace(path)
    assert opened.open(path) is not before
