"""Live audition: contiguous, sample-exact at seams, quick to the ear, without clicks."""

import numpy as np
import pytest

from tests.conftest import RATE_HZ, music, recipe_of, tone
from tests.core.engine.test_graph import heard_above_4k_db
from tin_kettle.core.engine.live import AHEAD_MS, BLOCK_FRAMES, Audition
from tin_kettle.core.engine.offline import render
from tin_kettle.core.engine.source import ArraySource
from tin_kettle.core.engine.timeline import Timeline
from tin_kettle.core.measure.live_spectrum import SPECTRUM_HZ

QUEUE = 9600


class Ear:
    """A player: keeps what it is sent by absolute position."""

    def __init__(self, audition):
        self.audition, self.heard = audition, 0
        self.now, self.other = np.zeros((2, 1 << 20)), np.zeros((2, 1 << 20))
        self.blocks = []

    def take(self, played):
        span = slice(played.position, played.position + played.now.shape[1])
        self.now[:, span], self.other[:, span] = played.now, played.other
        self.blocks.append(played)

    def listen(self, frames):
        end = self.heard + frames
        while self.heard < end:
            while self.audition.position < self.heard + QUEUE:
                self.take(self.audition.render())
            self.heard += 512


def positions(frames=RATE_HZ * 4):
    """A source whose every sample says where it is."""
    return ArraySource(np.stack([np.arange(frames) / frames] * 2), RATE_HZ)


def test_what_is_heard_is_what_is_printed():
    x = music(2.0)
    recipe = recipe_of(
        {"kind": "filter", "params": {"high_pass_on": True}}, {"kind": "limiter", "params": {"gain_db": 6}}
    )
    printed = np.concatenate(list(render(recipe, {"mix": ArraySource(x, RATE_HZ)})), axis=1)
    ear = Ear(Audition(recipe, {"mix": ArraySource(x, RATE_HZ)}))
    ear.listen(RATE_HZ)
    np.testing.assert_allclose(ear.now[:, :RATE_HZ], printed[:, :RATE_HZ], atol=1e-12)
    np.testing.assert_array_equal(ear.other[:, :RATE_HZ], x[:, :RATE_HZ])


@pytest.mark.parametrize("loop", [(1000, 6000), (0, 64), (5000, 5700)])
def test_loops_are_exact_to_the_sample(loop):
    audition = Audition(recipe_of({"kind": "limiter", "params": {"ceiling_db": 0}}), {"mix": positions()})
    audition.set_loop(loop, heard=0)
    ear = Ear(audition)
    start = audition.position
    ear.heard = start
    ear.listen(20000)
    wanted = loop[0] + (np.arange(20000) + (ear.blocks[0].song - loop[0])) % (loop[1] - loop[0])
    for plane in (ear.other, ear.now):
        np.testing.assert_allclose(plane[0, start : start + 20000] * RATE_HZ * 4, wanted, atol=1e-6)


def test_seeking_begins_an_epoch_at_the_very_sample():
    audition = Audition(
        recipe_of({"kind": "compressor", "params": {"lookahead_ms": 10, "ratio": 1}}), {"mix": positions()}
    )
    audition.render()
    audition.seek(50000)
    played = audition.render()
    assert (played.epoch, played.song) == (1, 50000)
    np.testing.assert_allclose(played.now[0] * RATE_HZ * 4, 50000 + np.arange(BLOCK_FRAMES), atol=1e-6)


def test_a_move_is_heard_thirty_milliseconds_on_and_by_the_right_amount():
    def with_gain(gain):
        return recipe_of({"id": "t", "kind": "trim", "params": {"gain_db": gain}})

    ear = Ear(Audition(with_gain(0), {"mix": ArraySource(tone(6000, -12, 3), RATE_HZ)}))
    ear.listen(24000)
    moved = ear.heard
    ear.audition.change(with_gain(6), 1, moved)
    assert ear.audition.position < moved + AHEAD_MS * 48 + BLOCK_FRAMES
    ear.listen(24000)
    level = [20 * np.log10(np.abs(ear.now[0, at : at + 480]).max()) for at in (moved + 480, moved + 4000)]
    assert level == pytest.approx([-12.0, -6.0], abs=0.001)
    assert ear.blocks[-1].revision == 1


def test_moves_edits_and_taps_do_not_click():
    def recipe(gain, *more):
        return recipe_of({"id": "t", "kind": "trim", "params": {"gain_db": gain}}, *more)

    compressor = {"id": "c", "kind": "compressor", "params": {"lookahead_ms": 5, "threshold_db": -30}}
    filters = {"id": "f", "kind": "filter", "params": {"high_pass_on": True, "high_pass_hz": 100}}
    steps = [
        lambda a, h: a.change(recipe(3), 1, h),
        lambda a, h: a.change(recipe(-9), 2, h),
        lambda a, h: a.change(recipe(-9, filters), 3, h),
        lambda a, h: a.change(recipe(-9, filters, compressor), 4, h),
        lambda a, h: a.tap("c", "removed", h),
        lambda a, h: a.tap(None, "result", h),
        lambda a, h: a.change(recipe(0, compressor), 5, h),
        lambda a, h: a.change(recipe(0), 6, h),
        lambda a, h: a.change(recipe(6), 7, h),
    ]
    ear = Ear(Audition(recipe(0), {"mix": ArraySource(tone(1000, -12, 5), RATE_HZ)}))
    for step in steps:
        ear.listen(6000)
        step(ear.audition, ear.heard)
    ear.listen(12000)
    assert heard_above_4k_db(ear.now[0, 2048 : ear.heard]) < -75


def test_an_edit_keeps_the_state_of_untouched_stages():
    slow = {"id": "c", "kind": "compressor", "params": {"threshold_db": -40, "ratio": 10, "release_ms": 3000}}
    ear = Ear(Audition(recipe_of(slow), {"mix": ArraySource(tone(1000, -6, 5), RATE_HZ)}))
    ear.listen(2 * RATE_HZ)
    before = ear.blocks[-1].meters["stages"]["c"]["effort_db"][-1]
    ear.audition.change(recipe_of({"id": "f", "kind": "filter", "params": {}}, slow), 1, ear.heard)
    after = ear.audition.render().meters["stages"]["c"]["effort_db"]
    np.testing.assert_allclose(after, before, atol=0.2)


def test_leaving_a_loop_plays_on_and_a_loop_elsewhere_goes_there():
    audition = Audition(recipe_of(), {"mix": positions()})
    ear = Ear(audition)
    ear.listen(10000)
    audition.set_loop((8000, 30000), ear.heard)
    assert audition.epoch == 0
    audition.set_loop((100000, 120000), ear.heard)
    assert (audition.epoch, audition.render().song) == (1, 100000)
    audition.set_loop(None, audition.position)
    assert audition.loop is None
    assert audition.song_at(audition.position + 50000) == 100000 + BLOCK_FRAMES + 50000


def test_a_timeline_wraps_at_the_end_of_its_loop_only():
    line = Timeline(100, 990, (500, 1000))
    assert [line.song_at(s) for s in (90, 100, 109, 110, 609, 610)] == [980, 990, 999, 500, 999, 500]
    assert list(line.pieces(105, 1010)) == [(995, 5), (500, 500), (500, 500), (500, 5)]
    assert Timeline(0, 2000, (500, 1000)).song_at(50) == 2050


def test_meters_tell_the_level_loudness_and_image():
    ear = Ear(Audition(recipe_of(), {"mix": ArraySource(tone(1000, -23, 5), RATE_HZ)}))
    ear.listen(4 * RATE_HZ)
    gauge = ear.blocks[-1].meters["now"]
    assert gauge["levels_db"] == pytest.approx([-23, -23, -23, -200], abs=0.1)
    assert (gauge["momentary_lufs"], gauge["short_term_lufs"]) == pytest.approx((-23, -23), abs=0.1)
    assert (gauge["correlation"], gauge["true_peak_dbtp"]) == pytest.approx((1, -23), abs=0.02)
    spectrum = next(b.meters["now"]["spectrum"] for b in reversed(ear.blocks) if "spectrum" in b.meters["now"])
    assert SPECTRUM_HZ[np.argmax(spectrum[0])] == pytest.approx(1000, rel=0.02)
    assert spectrum[0].max() == pytest.approx(-23, abs=1.5)
    assert spectrum[1].max() < -130
