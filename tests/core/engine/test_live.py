"""Live audition: contiguous, sample-exact at seams, quick to the ear, without clicks."""

import numpy as np
import pytest

from tests.conftest import RATE_HZ, music, recipe_of, tone
from tests.core.engine.listener import Listener
from tests.core.engine.test_graph import heard_above_4k_db
from tin_kettle.core.dsp.timeline import Timeline
from tin_kettle.core.engine.graph.meters import METER_HOP
from tin_kettle.core.engine.live import audition as audition_module
from tin_kettle.core.engine.live.audition import AHEAD_MS, SPECTRA_A_BLOCK, SWITCH_AHEAD_MS, PassThrough
from tin_kettle.core.engine.live.render_path import Piece, RenderPath, block_frames
from tin_kettle.core.engine.offline import render
from tin_kettle.core.engine.source import ArraySource
from tin_kettle.core.listen.listening_settings import Listening
from tin_kettle.core.listen.monitor import Monitor
from tin_kettle.core.measure.live_spectrum import SPECTRUM_HZ, LiveSpectrum

BLOCK = block_frames(RATE_HZ)

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
    ear = Ear(Listener(recipe, {"mix": ArraySource(x, RATE_HZ)}))
    ear.listen(RATE_HZ)
    np.testing.assert_allclose(ear.now[:, :RATE_HZ], printed[:, :RATE_HZ], atol=1e-12)
    np.testing.assert_array_equal(ear.other[:, :RATE_HZ], x[:, :RATE_HZ])


@pytest.mark.parametrize("loop", [(1000, 6000), (0, 64), (5000, 5700)])
def test_loops_are_exact_to_the_sample(loop):
    audition = Listener(recipe_of({"kind": "limiter", "params": {"ceiling_db": 0}}), {"mix": positions()})
    audition.set_loop(loop, heard=0)
    ear = Ear(audition)
    start = audition.position
    ear.heard = start
    ear.listen(20000)
    wanted = loop[0] + (np.arange(20000) + (ear.blocks[0].song - loop[0])) % (loop[1] - loop[0])
    for plane in (ear.other, ear.now):
        np.testing.assert_allclose(plane[0, start : start + 20000] * RATE_HZ * 4, wanted, atol=1e-6)


def test_seeking_begins_an_epoch_at_the_very_sample():
    audition = Listener(
        recipe_of({"kind": "compressor", "params": {"lookahead_ms": 10, "ratio": 1}}), {"mix": positions()}
    )
    audition.render()
    audition.seek(50000)
    played = audition.render()
    assert (played.epoch, played.song) == (1, 50000)
    np.testing.assert_allclose(played.now[0] * RATE_HZ * 4, 50000 + np.arange(BLOCK), atol=1e-6)


def test_a_move_is_heard_twenty_milliseconds_on_and_by_the_right_amount():
    def with_gain(gain):
        return recipe_of({"id": "t", "kind": "trim", "params": {"gain_db": gain}})

    ear = Ear(Listener(with_gain(0), {"mix": ArraySource(tone(6000, -12, 3), RATE_HZ)}))
    ear.listen(24000)
    moved = ear.heard
    ear.audition.change(with_gain(6), 1, moved)
    assert moved + AHEAD_MS * 48 <= ear.audition.position < moved + AHEAD_MS * 48 + METER_HOP
    ear.listen(24000)
    level = [20 * np.log10(np.abs(ear.now[0, at : at + 480]).max()) for at in (moved + 480, moved + 4000)]
    assert level == pytest.approx([-12.0, -6.0], abs=0.001)
    assert ear.blocks[-1].revision == 1


def test_an_edit_that_changes_nothing_leaves_no_mark_wherever_it_is_met():
    x = music(3.0)
    squeezing = {"id": "c", "kind": "compressor", "params": {"threshold_db": -30, "release_ms": 1000}}

    def played(heard_at):
        spare = {"id": "t", "kind": "trim", "on": False, "params": {"gain_db": 0}}
        ear = Ear(Listener(recipe_of(squeezing, spare), {"mix": ArraySource(x, RATE_HZ)}))
        lows = Monitor(Listening(range="lows"), RATE_HZ)
        ear.audition.listen(lows, lows, frozenset(), 0)
        ear.listen(24000)
        for number, heard in enumerate(heard_at):
            spare["params"] = {"gain_db": 1 + number}
            ear.audition.change(recipe_of(squeezing, spare), 1 + number, ear.heard + heard)
            ear.listen(4096)
        ear.listen(RATE_HZ + 24000 - ear.heard)
        end = slice(RATE_HZ // 2, RATE_HZ)
        return ear.now[:, end], ear.other[:, end], ear.blocks[-1].meters["now"]["true_peak_dbtp"]

    plain, moved = played(()), played((0, 17, 500, 1000))
    for before, after in zip(plain, moved, strict=True):
        np.testing.assert_allclose(after, before, atol=1e-9)


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
    ear = Ear(Listener(recipe(0), {"mix": ArraySource(tone(1000, -12, 5), RATE_HZ)}))
    for step in steps:
        ear.listen(6000)
        step(ear.audition, ear.heard)
    ear.listen(12000)
    assert heard_above_4k_db(ear.now[0, 2048 : ear.heard]) < -75


def test_an_edit_keeps_the_state_of_untouched_stages():
    slow = {"id": "c", "kind": "compressor", "params": {"threshold_db": -40, "ratio": 10, "release_ms": 3000}}
    ear = Ear(Listener(recipe_of(slow), {"mix": ArraySource(tone(1000, -6, 5), RATE_HZ)}))
    ear.listen(2 * RATE_HZ)
    before = ear.blocks[-1].meters["stages"]["c"]["effort_db"][-1]
    ear.audition.change(recipe_of({"id": "f", "kind": "filter", "params": {}}, slow), 1, ear.heard)
    after = ear.audition.render().meters["stages"]["c"]["effort_db"]
    np.testing.assert_allclose(after, before, atol=0.2)


def test_leaving_a_loop_plays_on_and_a_loop_elsewhere_goes_there():
    audition = Listener(recipe_of(), {"mix": positions()})
    ear = Ear(audition)
    ear.listen(10000)
    audition.set_loop((8000, 30000), ear.heard)
    assert audition.epoch == 0
    audition.set_loop((100000, 120000), ear.heard)
    assert (audition.epoch, audition.render().song) == (1, 100000)
    audition.set_loop(None, audition.position)
    assert audition.loop is None
    assert audition.song_at(audition.position + 50000) == 100000 + BLOCK + 50000


def test_a_timeline_wraps_at_the_end_of_its_loop_only():
    line = Timeline(100, 990, (500, 1000))
    assert [line.song_at(s) for s in (90, 100, 109, 110, 609, 610)] == [980, 990, 999, 500, 999, 500]
    assert list(line.pieces(105, 1010)) == [(995, 5), (500, 500), (500, 500), (500, 5)]
    assert Timeline(0, 2000, (500, 1000)).song_at(50) == 2050


def test_meters_tell_the_level_loudness_and_image():
    ear = Ear(Listener(recipe_of(), {"mix": ArraySource(tone(1000, -23, 5), RATE_HZ)}))
    ear.listen(4 * RATE_HZ)
    gauge = ear.blocks[-1].meters["now"]
    assert gauge["levels_db"] == pytest.approx([-23, -23, -23, -200], abs=0.1)
    assert (gauge["momentary_lufs"], gauge["short_term_lufs"]) == pytest.approx((-23, -23), abs=0.1)
    assert (gauge["correlation"], gauge["true_peak_dbtp"]) == pytest.approx((1, -23), abs=0.02)
    spectrum = next(b.meters["now"]["spectrum"] for b in reversed(ear.blocks) if "spectrum" in b.meters["now"])
    assert SPECTRUM_HZ[np.argmax(spectrum[0])] == pytest.approx(1000, rel=0.02)
    assert spectrum[0].max() == pytest.approx(-23, abs=1.5)
    assert spectrum[1].max() < -130


# ---- kept at hand


def squeezed(threshold_db):
    return recipe_of({"id": "c", "kind": "compressor", "params": {"threshold_db": threshold_db, "ratio": 4}})


def test_what_is_kept_at_hand_is_there_twelve_milliseconds_on_and_sounds_as_if_it_had_played():
    x = music(6.0)
    sources = {"mix": ArraySource(x, RATE_HZ)}
    audition = Listener(squeezed(-20), sources)
    ear = Ear(audition)
    others = {f"version:{db}": Piece(squeezed(-db), audition.sources) for db in (30, 40)}
    audition.keep_at_hand({"received": None, **others})
    ear.listen(RATE_HZ // 2)
    while audition.attend(ear.heard):
        pass
    ear.listen(RATE_HZ)
    for name, db in (("version:30", 30), ("version:40", 40), ("version:30", 30), ("received", None)):
        while audition.attend(ear.heard):
            pass
        before = ear.heard
        audition.compare(name, others.get(name), before)
        assert SWITCH_AHEAD_MS * 48 <= audition.position - before < SWITCH_AHEAD_MS * 48 + METER_HOP
        ear.listen(RATE_HZ // 4)
        played = slice(audition.position - 4096, audition.position)
        if db is None:
            np.testing.assert_array_equal(ear.other[:, played], x[:, played])
        else:
            printed = np.concatenate(list(render(squeezed(-db), sources)), axis=1)
            np.testing.assert_allclose(ear.other[:, played], printed[:, played], atol=1e-4)
        assert ear.blocks[-1].other_name == name


def test_what_is_at_hand_follows_seeks_and_is_forgotten_when_unwanted():
    audition = Listener(recipe_of(), {"mix": positions()})
    trimmed = recipe_of({"kind": "trim", "params": {"gain_db": -6}})
    piece = Piece(trimmed, audition.sources)
    ear = Ear(audition)
    audition.keep_at_hand({"version:1": piece})
    audition.seek(40000)
    ear.heard = audition.position
    while audition.attend(ear.heard):
        pass
    ear.listen(5000)
    audition.compare("version:1", piece, ear.heard)
    at = audition.position
    ear.listen(20000)
    wanted = (audition.song_at(at) + np.arange(2000)) / (RATE_HZ * 4) * 10 ** (-6 / 20)
    np.testing.assert_allclose(ear.other[0, at : at + 2000], wanted, atol=1e-9)
    audition.keep_at_hand({})
    assert not audition.attend(ear.heard)


def test_the_chosen_stages_detector_is_measured():
    heard_above = {"ratio": 1, "detector_filters": [{"kind": "high_pass", "hz": 4000, "slope": 24}]}
    recipe = recipe_of({"id": "c", "kind": "compressor", "params": heard_above})
    audition = Listener(recipe, {"mix": ArraySource(tone(500, -12, 2) + tone(8000, -12, 2), RATE_HZ)})
    audition.choose("c")
    for _ in range(30):
        meters = audition.render().meters
    low, high = (np.argmin(np.abs(SPECTRUM_HZ - hz)) for hz in (500, 8000))
    assert meters["inside"]["detector"][0][high] == pytest.approx(-12, abs=1.0)
    assert meters["inside"]["detector"][0][low] < -70
    assert meters["now"]["spectrum"][0][low] == pytest.approx(-12, abs=1.0)
    audition.choose(None)
    assert audition.render().meters["inside"] == {}


def test_of_a_chosen_split_one_sees_what_comes_in_and_what_each_branch_gives():
    branches = [
        {"id": "low", "gain_db": -9},
        {"id": "high", "chain": [{"id": "t", "kind": "trim", "params": {"gain_db": -6}}]},
    ]
    split = {"id": "s", "kind": "split", "params": {"by": "bands", "crossovers_hz": [2000], "branches": branches}}
    audition = Listener(recipe_of(split), {"mix": ArraySource(tone(500, -12, 2) + tone(8000, -12, 2), RATE_HZ)})
    audition.choose("s")
    for _ in range(30):
        inside = audition.render().meters["inside"]
    low, high = (np.argmin(np.abs(SPECTRUM_HZ - hz)) for hz in (500, 8000))
    assert set(inside) == {"in", "low", "high"}
    assert inside["in"][0][[low, high]] == pytest.approx([-12, -12], abs=1.0)
    assert inside["low"][0][low] == pytest.approx(-12, abs=1.0), "before the fader"
    assert inside["low"][0][high] < -50
    assert inside["high"][0][high] == pytest.approx(-18, abs=1.0)


def test_of_many_branches_a_few_are_measured_anew_with_every_block(monkeypatch):
    split = {"id": "s", "kind": "split", "params": {"branches": [{"id": f"b{i}"} for i in range(5)]}}
    audition = Listener(recipe_of(split), {"mix": ArraySource(music(2.0), RATE_HZ)})
    audition.choose("s")
    counted = []
    measure = LiveSpectrum.levels_db
    monkeypatch.setattr(LiveSpectrum, "levels_db", lambda spectrum: counted.append(spectrum) or measure(spectrum))
    made = []
    monkeypatch.setattr(audition_module, "LiveSpectrum", lambda rate_hz: made.append(LiveSpectrum(rate_hz)) or made[-1])
    told = [audition.render().meters["inside"] for _ in range(9)]
    assert len(made) == 6, "made once, fed always"
    assert len(counted) == 9 * (2 + SPECTRA_A_BLOCK), "now, the other, and these"
    assert set(told[-1]) == {"in", "b0", "b1", "b2", "b3", "b4"}
    for name in told[-1]:
        assert len({id(inside[name]) for inside in told[3:]}) in (4, 5), "each at two blocks of three"


def test_it_is_told_for_how_long_the_chain_rings_on_after_the_song():
    ringing = {"kind": "equalizer", "params": {"bands": [{"id": "a", "hz": 100, "q": 20, "gain_db": 12}]}}
    for chain, seconds in (([], 0.0), ([ringing], 1.4)):
        audition = Listener(recipe_of(*chain), {"mix": ArraySource(music(1.0), RATE_HZ)})
        audition.seek(RATE_HZ - 512)
        played = audition.render()
        assert played.meters["tail"] == pytest.approx(seconds * RATE_HZ, rel=0.2)
        assert np.abs(played.now[:, 600:]).max() > 1e-3 if chain else not played.now[:, 512:].any()


def test_what_is_kept_at_hand_is_warmed_a_block_at_a_time():
    """However long it remembers, no turn of the rendering thread takes longer than a block."""
    slow = {"id": "c", "kind": "compressor", "params": {"release_ms": 3000, "threshold_db": -30, "ratio": 4}}
    audition = Listener(recipe_of(), {"mix": ArraySource(music(30.0), RATE_HZ)})
    audition.seek(20 * RATE_HZ)
    audition.keep_at_hand({"version:1": Piece(recipe_of(slow), audition.sources)})
    heard = audition.position
    asked = []
    read = audition.sources["mix"].read

    def counted(start, frames):
        asked.append(frames)
        return read(start, frames)

    audition.sources["mix"].read = counted
    turns = 0
    while audition.attend(heard):
        assert sum(asked) <= BLOCK
        asked.clear()
        turns += 1
    assert turns > 15 * RATE_HZ / BLOCK, "it has heard as much as it remembers"


def test_readings_are_of_the_very_piece_of_sound_behind_delays_and_during_fades():
    x = tone(1000, -40, 4)
    x[:, 60000:62000] = tone(1000, -6, 2000 / RATE_HZ)
    long = {"id": "e", "kind": "equalizer", "params": {"phase": "linear"}}

    def work(threshold_db):
        params = {"threshold_db": threshold_db, "ratio": 8, "attack_ms": 0.1, "release_ms": 5, "lookahead_ms": 20}
        return {"id": "c", "kind": "compressor", "params": params}

    for chain in ([long], []), ([], [long]), ([], []):
        recipe = recipe_of(*chain[0], work(-20), *chain[1])
        audition = Listener(recipe, {"mix": ArraySource(x, RATE_HZ)})
        rows = {"input_db": [], "heard_db": [], "output_db": [], "effort_db": []}
        for number in range(80):
            if number == 58:
                # the fade to another setting is over the hit itself
                audition.change(recipe_of(*chain[0], work(-21), *chain[1]), 1, audition.position - 1024)
            played = audition.render()
            assert len(played.meters["stages"]["c"]["input_db"]) == played.now.shape[1] // 256
            for name, row in rows.items():
                row.extend(played.meters["stages"]["c"][name])
        for name in ("input_db", "heard_db", "output_db"):
            loud = np.flatnonzero(np.array(rows[name]) > -25)
            assert loud[0] == 60000 // 256, name
            assert loud[-1] <= 62000 // 256 + 1, name
        working = np.flatnonzero(np.array(rows["effort_db"]) < -3)
        assert 60000 // 256 - 5 <= working[0] <= 60000 // 256
        assert working[-1] <= 62000 // 256 + 5


# ---- rendered ahead


def work(audition, heard):
    while audition.ahead.progress < 1.0:
        audition.work_ahead(heard)


def test_a_loop_rendered_ahead_is_what_would_have_been_played():
    x = music(4.0)
    recipe = recipe_of({"id": "c", "kind": "compressor", "params": {"threshold_db": -30, "release_ms": 20}})
    printed = np.concatenate(list(render(recipe, {"mix": ArraySource(x, RATE_HZ)})), axis=1)
    audition = Listener(recipe, {"mix": ArraySource(x, RATE_HZ)})
    assert not audition.go_ahead()
    loop = (30000, 61000)
    audition.set_loop(loop, heard=0)
    assert audition.go_ahead()
    assert not audition.can_play
    work(audition, 0)
    assert audition.can_play
    start = audition.position
    ear = Ear(audition)
    ear.heard = start
    ear.listen(2 * (loop[1] - loop[0]))
    assert [b.song for b in ear.blocks if b.song < loop[0] or b.song >= loop[1]] == []
    turn = slice(start + 5000, start + 31000)
    np.testing.assert_allclose(ear.now[:, turn], printed[:, 35000:61000], atol=1e-4)
    np.testing.assert_allclose(ear.other[:, turn], x[:, 35000:61000], atol=1e-6)
    # the next turn is the same again, and the seam is the music's own
    again = slice(turn.start + 31000, turn.stop + 31000)
    np.testing.assert_array_equal(ear.now[:, again], ear.now[:, turn])
    meters = ear.blocks[-1].meters
    assert len(meters["now"]["spectrum"]) == 2
    assert meters["stages"]["c"]["effort_db"].min() < -1


def test_playing_from_memory_costs_nothing_for_the_chain(monkeypatch):
    audition = Listener(recipe_of({"kind": "limiter"}), {"mix": ArraySource(tone(1000, -20, 4), RATE_HZ)})
    audition.set_loop((0, 48000), heard=0)
    audition.go_ahead()
    work(audition, 0)
    ear = Ear(audition)
    for costly in ("render", "fork"):
        monkeypatch.setattr(RenderPath, costly, lambda *_: pytest.fail("the chain was touched"))
    ear.listen(60000)
    assert np.abs(ear.now[0, 50000:60000]).max() == pytest.approx(0.1, rel=1e-3)


def test_an_edit_ahead_plays_the_old_until_the_new_is_there():
    def trim(gain_db):
        return recipe_of({"id": "t", "kind": "trim", "params": {"gain_db": gain_db}})

    audition = Listener(trim(0), {"mix": ArraySource(tone(1000, -20, 4), RATE_HZ)}, revision=1)
    audition.set_loop((0, 48000), heard=0)
    audition.go_ahead()
    work(audition, 0)
    ear = Ear(audition)
    ear.listen(20000)
    audition.change(trim(6), 2, ear.heard)
    ear.listen(10000)
    assert ear.blocks[-1].revision == 1
    assert 0 <= audition.ahead.progress < 1
    heard = ear.heard
    work(audition, heard)
    assert audition.position == heard + AHEAD_MS * 48
    ear.listen(10000)
    assert ear.blocks[-1].revision == 2
    assert np.abs(ear.now[0, heard + 3000 : heard + 9000]).max() == pytest.approx(10 ** (-14 / 20), rel=1e-3)
    audition.come_back()
    ear.listen(10000)
    assert np.abs(ear.now[0, ear.heard - 3000 : ear.heard]).max() == pytest.approx(10 ** (-14 / 20), rel=1e-3)


def test_comparing_tapping_listening_and_moving_the_loop_work_ahead():
    recipe = recipe_of({"id": "t", "kind": "trim", "params": {"gain_db": 6}}, {"id": "l", "kind": "limiter"})
    audition = Listener(recipe, {"mix": ArraySource(tone(1000, -20, 4), RATE_HZ)})
    audition.set_loop((0, 30000), heard=0)
    audition.go_ahead()
    ear = Ear(audition)

    def level(plane, frames=20000):
        work(audition, ear.heard)
        ear.listen(frames)
        return 20 * np.log10(max(np.abs(plane[0, ear.heard - 4000 : ear.heard]).max(), 1e-9))

    assert level(ear.now) == pytest.approx(-14, abs=0.01)
    audition.compare("version:1", Piece(recipe_of({"kind": "trim", "params": {"gain_db": -6}}), audition.sources), 0)
    assert level(ear.other) == pytest.approx(-26, abs=0.01)
    audition.tap("l", "removed", ear.heard)
    assert level(ear.now) < -120
    audition.tap(None, "result", ear.heard)
    audition.listen(PassThrough(), PassThrough(), frozenset({"mix"}), ear.heard)
    assert level(ear.now) < -120
    audition.listen(PassThrough(), PassThrough(), frozenset(), ear.heard)
    audition.set_loop((60000, 90000), ear.heard)
    epoch = audition.epoch
    ear.heard = audition.position
    assert level(ear.now) == pytest.approx(-14, abs=0.01)
    assert ear.blocks[-1].song >= 60000
    audition.seek(100000)
    assert audition.epoch == epoch + 1
    assert audition.song_at(audition.position) == 60000
    assert audition.running_lufs()[1] == pytest.approx(-14, abs=0.1)
    audition.set_loop(None, ear.heard)
    assert audition.ahead is None


@pytest.mark.parametrize(
    ("rate_hz", "frames"),
    [(8000, 256), (44100, 1024), (48000, 1024), (88200, 2048), (96000, 2048), (192000, 4096), (384000, 8192)],
)
def test_a_block_lasts_about_as_long_at_every_rate(rate_hz, frames):
    assert block_frames(rate_hz) == frames
    song = {"mix": ArraySource(np.full((2, 2 * rate_hz), 0.25), rate_hz)}
    audition = Listener(recipe_of({"id": "t", "kind": "trim"}), song)
    while audition.position < 0.4 * rate_hz:
        audition.render()
    heard = round(0.1 * rate_hz)
    audition.change(recipe_of({"id": "t", "kind": "trim", "params": {"gain_db": -6.0206}}), 1, heard)
    assert heard < audition.position < heard + (AHEAD_MS / 1000) * rate_hz + frames
    played = [audition.render() for _ in range(4)]
    assert played[-1].now[0, -1] == pytest.approx(0.125, rel=1e-4)


def test_a_reference_that_is_heard_follows_its_passage():
    song = {"mix": positions()}
    audition = Listener(recipe_of(), song)
    record = {"mix": positions()}

    def passage(start, end):
        return Piece(recipe_of(), record, Timeline(0, start, (start, end)))

    for start, end in ((1000, 5000), (50000, 50700)):
        audition.compare("reference:1", passage(start, end), audition.position)
        for _ in range(4):
            played = audition.render()
        heard = played.other[0] * RATE_HZ * 4
        assert heard.min() > start - 1
        assert heard.max() < end
