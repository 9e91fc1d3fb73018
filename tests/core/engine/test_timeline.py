"""Stream and song: where one is in the other, through loops and seams."""

import itertools

import pytest

from tin_kettle.core.dsp.timeline import Timeline


def test_without_a_loop_the_song_goes_on():
    clock = Timeline(1000, 5000)
    assert [clock.song_at(at) for at in (1000, 1001, 900)] == [5000, 5001, 4900]
    assert list(clock.pieces(1000, 300)) == [(5000, 300)]


@pytest.mark.parametrize(("start", "end"), [(100, 164), (0, 1000), (400, 5000)])
@pytest.mark.parametrize("song", [0, 120, 400])
def test_pieces_are_what_song_at_says_sample_by_sample(start, end, song):
    clock = Timeline(50, song, (start, end))
    for stream, frames in itertools.product((50, 77, 5050), (1, 64, 3000)):
        played = [at + i for at, run in clock.pieces(stream, frames) for i in range(run)]
        assert played == [clock.song_at(stream + i) for i in range(frames)]
        assert len(played) == frames


def test_a_loop_that_lies_before_is_left_alone():
    clock = Timeline(0, 9000, (100, 200))
    assert clock.song_at(500) == 9500


def test_what_was_heard_before_the_anchor_was_the_song():
    clock = Timeline(1000, 150, (100, 200))
    assert clock.song_at(990) == 140
    assert clock.song_at(1049) == 199
    assert clock.song_at(1050) == 100
