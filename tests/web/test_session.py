"""The live socket's session: credit, coalesced edits, refusals; without a network."""

import json
import struct
import threading
import time

import numpy as np
import pytest

from tests.conftest import PATIENCE_S, RATE_HZ, Clock, recipe_of, tone
from tin_kettle.core.engine.live.audition import Audition
from tin_kettle.core.engine.live.render_path import Piece
from tin_kettle.core.engine.source import ArraySource
from tin_kettle.core.errors import LibraryError
from tin_kettle.core.recipe.reading import dump_recipe
from tin_kettle.web import load, render_schedule
from tin_kettle.web.block_format import HEADER
from tin_kettle.web.messages import MOST_MESSAGE_BYTES
from tin_kettle.web.request_models import MOST_JSON_BYTES
from tin_kettle.web.session import Session


def found(named, values):
    """An array in place of where it lies."""
    if set(named) != {"row"}:
        return named
    first, *shape = named["row"]
    return values[first : first + int(np.prod(shape))].reshape(shape)


class Wire:
    """The other end: takes what is sent apart."""

    def __init__(self):
        self.blocks, self.texts = [], []

    def __call__(self, data):
        if isinstance(data, str):
            self.texts.append(json.loads(data))
            return
        magic, version, planes, frames, epoch, revision, count, position, song = HEADER.unpack_from(data)
        assert (magic, version, planes) == (b"TKLV", 2, 4)
        audio = np.frombuffer(data, "<f4", planes * frames, HEADER.size).reshape(planes, frames)
        values = np.frombuffer(data, "<f4", count, HEADER.size + audio.nbytes)
        told = json.loads(
            data[HEADER.size + audio.nbytes + values.nbytes :], object_hook=lambda named: found(named, values)
        )
        self.blocks.append((epoch, int(position), int(song), revision, audio, told))


@pytest.fixture
def session():
    wire = Wire()
    audition = Audition(recipe_of(), {"mix": ArraySource(tone(1000, -12, 10), RATE_HZ)})
    session = Session(audition, wire)
    session.hello()
    thread = threading.Thread(target=session.run)
    thread.start()
    yield session, wire
    session.close()
    thread.join(PATIENCE_S)
    assert not thread.is_alive()


def say(session, **message):
    session.hear(json.dumps(message))


def until(condition):
    end = time.monotonic() + PATIENCE_S
    while not condition():
        assert time.monotonic() < end
        time.sleep(0.005)


def gain(db):
    return dump_recipe(recipe_of({"id": "t", "kind": "trim", "params": {"gain_db": db}}))


def test_the_header_is_as_documented():
    assert HEADER.size == 40 == struct.calcsize("<4sHHIIIIdd")


def test_it_renders_to_the_credit_and_not_beyond(session):
    session, wire = session
    assert wire.texts[0]["type"] == "hello"
    assert (wire.texts[0]["rate_hz"], wire.texts[0]["frames"]) == (RATE_HZ, 480000)
    say(session, type="credit", epoch=0, position=9600)
    until(lambda: len(wire.blocks) == 10)
    time.sleep(0.1)
    assert [block[1] for block in wire.blocks] == [1024 * i for i in range(10)]
    say(session, type="credit", epoch=0, position=10**12)
    until(lambda: wire.blocks[-1][1] >= (render_schedule.MOST_AHEAD_S - 0.1) * RATE_HZ)
    time.sleep(0.3)
    assert wire.blocks[-1][1] < render_schedule.MOST_AHEAD_S * RATE_HZ, "no credit reaches further"
    assert [block[1] for block in wire.blocks] == [1024 * i for i in range(len(wire.blocks))]


@pytest.mark.parametrize("playing", [False, True])
def test_while_a_hand_moves_and_nothing_plays_no_more_is_rendered_than_is_shown(session, playing, monkeypatch):
    session, wire = session
    clock = Clock()
    monkeypatch.setattr(render_schedule, "time", clock)
    say(session, type="credit", epoch=0, position=19200, heard=1024)
    until(lambda: len(wire.blocks) == 19)
    time.sleep(0.3)
    number = 0
    for number in range(1, 20):
        if playing:
            say(session, type="credit", epoch=0, position=19200 + number, heard=1024 + number)
        say(session, type="edit", recipe=gain(number / 10), revision=number, heard=1024)
        clock.now_s += 0.11
        time.sleep(0.03)
    if playing:
        until(lambda: any(block[1] > 8192 and 0 < block[3] < number for block in wire.blocks))
    moved = [block for block in wire.blocks if 0 < block[3] < number]
    farthest = max(block[1] for block in moved)
    assert playing or farthest <= 4096
    clock.now_s += 1.0
    # and all of it as soon as the hand rests
    until(lambda: wire.blocks[-1][3] == number and wire.blocks[-1][1] >= 18432)


def test_the_last_of_many_edits_counts_and_is_sent_again_from_the_ear_on(session):
    session, wire = session
    say(session, type="credit", epoch=0, position=9600)
    until(lambda: len(wire.blocks) == 10)
    for number in range(1, 40):
        say(session, type="edit", recipe=gain(number / 10), revision=number, heard=1000)
    until(lambda: wire.blocks[-1][3] == 39 and wire.blocks[-1][1] == 9216)
    again = [block for block in wire.blocks if block[3] == 39]
    assert again[0][1] == 2048
    assert len(wire.blocks) < 60, "edits are coalesced"
    level = np.abs(again[-1][4][0]).max()
    assert 20 * np.log10(level) == pytest.approx(-12 + 3.9, abs=0.01)
    assert 20 * np.log10(np.abs(again[-1][4][2]).max()) == pytest.approx(-12, abs=0.01)


@pytest.mark.parametrize("moves_on", [True, False])
def test_of_a_hand_that_moves_on_no_gap_is_heard_and_one_edit_alone_waits_for_nothing(session, monkeypatch, moves_on):
    session, wire = session
    monkeypatch.setattr(render_schedule, "MOVES_ON_S", 10.0 if moves_on else 0.0)
    monkeypatch.setattr(render_schedule, "LONGEST_REWIND_GAP_S", 10.0)
    monkeypatch.setattr(render_schedule, "STILL_S", 10.0)
    render = session._audition.render

    def slowly():
        time.sleep(0.01)
        return render()

    monkeypatch.setattr(session._audition, "render", slowly)
    say(session, type="credit", epoch=0, position=10240)
    until(lambda: len(wire.blocks) == 10)
    say(session, type="credit", epoch=0, position=10240, heard=1)
    for number in (1, 2):
        say(session, type="edit", recipe=gain(-number), revision=number, heard=1)
        until(lambda number=number: wire.blocks[-1][3] == number)
    # whether what the first threw away is there again before the second throws it away once more
    heard_of_first = [block for block in wire.blocks if block[3] == 1]
    assert (heard_of_first[-1][1] + 1024 >= 0.8 * 10240) == moves_on


def test_an_edit_that_had_to_wait_is_met_where_the_ear_is_by_then(session, monkeypatch):
    session, wire = session
    for gap in ("REWIND_GAP_S", "STILL_GAP_S", "LONGEST_REWIND_GAP_S"):
        monkeypatch.setattr(render_schedule, gap, 2.0)
    say(session, type="credit", epoch=0, position=10240)
    until(lambda: len(wire.blocks) == 10)
    for number in (1, 2):
        say(session, type="edit", recipe=gain(-number), revision=number, heard=0)
        time.sleep(0.1)
    say(session, type="credit", epoch=0, position=15360, heard=4096)
    until(lambda: wire.blocks[-1][3] == 2)
    began = next(position for _, position, _, revision, _, _ in wire.blocks if revision == 2)
    assert 4096 + 0.02 * RATE_HZ <= began < 4096 + 0.03 * RATE_HZ


def test_seek_loop_and_tap(session):
    session, wire = session
    say(session, type="seek", song=96000)
    until(lambda: wire.blocks and wire.blocks[-1][0] == 1)
    assert wire.blocks[0][2] == 96000
    say(session, type="loop", loop=[1000, 2000], heard=0)
    until(lambda: wire.blocks[-1][0] == 2)
    assert 1000 <= wire.blocks[-1][2] < 2000
    say(session, type="edit", recipe=gain(-6), revision=1, heard=0)
    say(session, type="tap", stage="t", tap="removed", heard=0)
    say(session, type="credit", epoch=2, position=wire.blocks[-1][1] + 48000, heard=0)
    until(lambda: wire.blocks[-1][3] == 1 and np.abs(wire.blocks[-1][4][0]).max() < 1e-6)
    say(session, type="tap", stage="t", tap="sideways", heard=0)
    until(lambda: any("sideways" in text.get("problem", "") for text in wire.texts))


def test_what_comes_in_one_turn_is_all_heard_and_what_is_refused_leaves_the_rest_alone(session):
    session, wire = session
    say(session, type="credit", epoch=0, position=9600, heard=0)
    until(lambda: len(wire.blocks) == 10)
    with session._wake:  # the renderer waits: all of it comes in one turn
        say(session, type="edit", recipe=gain(3), revision=5, heard=500)
        say(session, type="compare", other="without:t", heard=500)
        say(session, type="tap", stage=None, tap="sideways", heard=500)
        listening = {"fold": "left", "range": "all", "place": "studio", "solo": [], "muted": []}
        say(session, type="listen", listening=listening, lufs=[None, None], heard=500)
    until(lambda: wire.blocks[-1][3] == 5 and wire.blocks[-1][5]["other_name"] == "without:t")
    until(lambda: wire.blocks[-1][1] >= 9600 - 1024)
    now, other = (20 * np.log10(np.abs(wire.blocks[-1][4][row]).max()) for row in (0, 2))
    assert (now, other) == pytest.approx((-9, -12), abs=0.02)
    assert any("sideways" in text.get("problem", "") for text in wire.texts)


@pytest.mark.parametrize(("last", "from_song"), [("loop", 200000), ("seek", 300000)])
def test_of_a_seek_and_a_loop_in_one_turn_the_last_leads(session, last, from_song):
    session, wire = session
    say(session, type="credit", epoch=0, position=9600, heard=0)
    until(lambda: len(wire.blocks) == 10)
    asked = {"seek": {"song": 300000}, "loop": {"loop": [200000, 250000]}}
    with session._wake:  # the renderer waits: all of it comes in one turn
        # what was asked for first is asked for again
        for kind in (last, *(kind for kind in asked if kind != last), last):
            say(session, type=kind, heard=500, **asked[kind])
    until(lambda: wire.blocks[-1][0] > 0)
    epoch = wire.blocks[-1][0]
    assert next(song for block_epoch, _, song, *_ in wire.blocks if block_epoch == epoch) == from_song


def test_opening_what_is_compared_does_not_hold_up_the_sound(session):
    session, wire = session
    opened, may_open = threading.Event(), threading.Event()

    def find(name, _now):
        opened.set()
        assert may_open.wait(PATIENCE_S)
        return Piece(recipe_of({"kind": "trim", "params": {"gain_db": -6}}), session._audition.sources)

    session._find_piece = find
    say(session, type="credit", epoch=0, position=4800, heard=0)
    say(session, type="compare", other="reference:1", heard=0)
    assert opened.wait(PATIENCE_S)
    say(session, type="credit", epoch=0, position=48000, heard=4000)
    until(lambda: wire.blocks and wire.blocks[-1][1] > 40000)
    assert wire.blocks[-1][5]["other_name"] == "received"
    may_open.set()
    until(lambda: wire.blocks[-1][5]["other_name"] == "reference:1")


def test_what_was_asked_for_last_is_compared_however_long_the_first_took_to_open(session):
    session, wire = session
    may_open = threading.Event()

    def find(name, _now):
        assert may_open.wait(PATIENCE_S)
        return Piece(recipe_of({"kind": "trim", "params": {"gain_db": -6}}), session._audition.sources)

    session._find_piece = find
    say(session, type="credit", epoch=0, position=9600, heard=0)
    say(session, type="compare", other="reference:1", heard=0)
    say(session, type="compare", other="without:x", heard=0)
    may_open.set()
    until(lambda: wire.blocks and wire.blocks[-1][5]["other_name"] == "without:x")
    time.sleep(0.2)
    say(session, type="credit", epoch=0, position=30000, heard=0)
    until(lambda: wire.blocks[-1][1] > 28000)
    assert {block[5]["other_name"] for block in wire.blocks} <= {"received", "without:x"}


def test_what_is_at_hand_is_found_by_name_and_what_is_gone_is_left_out(session):
    session, wire = session
    asked = []

    def find(name, _now):
        asked.append(name)
        if name == "version:9":
            raise LibraryError("there is no such version")
        return Piece(recipe_of({"kind": "trim", "params": {"gain_db": -6}}), session._audition.sources)

    session._find_piece = find
    say(session, type="hand", others=["received", "without:x", "version:9", "version:1"])
    say(session, type="credit", epoch=0, position=9600, heard=0)
    until(lambda: len(wire.blocks) == 10 and len(asked) == 2)
    say(session, type="compare", other="version:1", heard=1000)
    until(lambda: wire.blocks[-1][5]["other_name"] == "version:1")
    assert 20 * np.log10(np.abs(wire.blocks[-1][4][2]).max()) == pytest.approx(-18, abs=0.01)
    assert not [text for text in wire.texts if text["type"] == "problem"]


def test_a_chain_that_is_too_heavy_says_so_and_its_loop_is_rendered_ahead(session, monkeypatch):
    monkeypatch.setattr(load, "HEAVY", 0.0)
    monkeypatch.setattr(load, "LIGHT", -1.0)
    session, wire = session
    say(session, type="credit", epoch=0, position=9600, heard=0)
    until(lambda: {"type": "work", "heavy": True, "progress": None} in wire.texts)
    say(session, type="loop", loop=[0, 20000], heard=0)
    until(lambda: {"type": "work", "heavy": True, "progress": 1.0} in wire.texts)
    wire.blocks.clear()
    say(session, type="credit", epoch=0, position=60000, heard=9000)
    until(lambda: wire.blocks and wire.blocks[-1][1] > 45000)
    assert max(song for _, _, song, *_ in wire.blocks) < 20000
    assert np.abs(wire.blocks[-1][4][0]).max() == pytest.approx(10 ** (-12 / 20), rel=1e-4)
    say(session, type="edit", recipe=gain(-6), revision=7, heard=40000)
    until(lambda: wire.blocks[-1][3] == 7)
    assert np.abs(wire.blocks[-1][4][0]).max() == pytest.approx(10 ** (-18 / 20), rel=1e-4)
    monkeypatch.setattr(load, "HEAVY", 9.0)
    monkeypatch.setattr(load, "LIGHT", 9.0)
    say(session, type="edit", recipe=gain(-9), revision=8, heard=40000)
    until(lambda: {"type": "work", "heavy": False, "progress": None} in wire.texts)


def test_an_estimate_keeps_the_gain_that_is_known_and_begins_anew_with_every_edit(session):
    session, wire = session
    say(session, type="gains", gains_db={"received": -5.0})
    say(session, type="credit", epoch=0, position=48000)
    until(lambda: len(wire.blocks) > 46)
    assert wire.blocks[0][5]["match"] is None
    assert wire.blocks[46][5]["match"] == pytest.approx({"other_db": -5.0, "now_db": -5.0}, abs=0.02)
    say(session, type="edit", recipe=gain(6), revision=1, heard=46000)
    say(session, type="credit", epoch=0, position=90000)
    until(lambda: wire.blocks[-1][1] > 88000)
    # a glance at the last tenth of a second follows a hand long before there is enough for a figure
    soon = next(block for block in wire.blocks if block[3] == 1 and block[1] > 46000 + 8 * 1024)
    assert soon[5]["match"] is None
    assert soon[5]["near"] == pytest.approx({"other_db": -5.0, "now_db": -11.0}, abs=0.3)
    # what was heard before the edit is no part of it
    assert wire.blocks[-1][5]["match"] == pytest.approx({"other_db": -5.0, "now_db": -11.0}, abs=0.1)


def test_nonsense_is_refused_and_the_sound_goes_on(session):
    session, wire = session
    session.hear("{")
    session.hear("[]")
    bad = {**gain(0), "master": [{"id": "t", "kind": "trim", "mix": 5}]}
    say(session, type="edit", recipe=bad, revision=1, heard=0)
    until(lambda: len([t for t in wire.texts if t["type"] == "problem"]) == 3)
    assert "$.master[0].mix: 5 is out of range" in wire.texts[-1]["problem"]
    say(session, type="shout")
    until(lambda: "not understood" in wire.texts[-1]["problem"])
    say(session, type="credit", epoch=0, position=2000)
    until(lambda: len(wire.blocks) == 2)


def test_an_echo_comes_back_and_the_place_of_the_renderer_is_told(session):
    session, wire = session
    say(session, type="echo", at=12.5)
    until(lambda: {"type": "echo", "at": 12.5} in wire.texts)
    until(lambda: any(one["type"] == "priority" and one["priority"] in ("high", "normal") for one in wire.texts))


def test_one_slow_block_makes_no_chain_heavy(session, monkeypatch):
    made, wire = session
    render, slow = Audition.render, iter([True])

    def once_slow(audition, *given):
        end = time.thread_time() + (0.4 if next(slow, False) else 0.0)
        while time.thread_time() < end:
            pass
        return render(audition, *given)

    monkeypatch.setattr(Audition, "render", once_slow)
    say(made, type="loop", loop=[0, 96000], heard=0)
    say(made, type="credit", position=20000, epoch=0, heard=0)
    until(lambda: len(wire.blocks) > 12)
    assert [text for text in wire.texts if text["type"] == "work" and text["heavy"]] == []


def touch(value, trim_from=None):
    return {"target": "t", "param": "gain_db", "value": value, "trim_from": trim_from}


def test_values_in_the_hand_are_heard_until_it_lets_go(session):
    session, wire = session
    ride = {"target": "t", "param": "gain_db", "points": [{"at": 0, "value": -6.0}]}
    recipe = dump_recipe(recipe_of({"id": "t", "kind": "trim"}, automation=[ride]))

    def level(revision):
        until(lambda: wire.blocks and wire.blocks[-1][3] == revision)
        return round(20 * np.log10(np.abs(wire.blocks[-1][4][0][-240:]).max()) + 12)

    def go_on(**message):
        say(session, **message)
        position = wire.blocks[-1][1] if wire.blocks else 0
        say(session, type="credit", position=position + 30000, epoch=0, heard=position)

    go_on(type="edit", recipe=recipe, revision=1)
    assert level(1) == -6
    go_on(type="touches", touches=[touch(3.0)], revision=2)
    assert level(2) == 3
    go_on(type="touches", touches=[touch(3.0, trim_from=0.0)], revision=3)
    assert level(3) == -3
    go_on(type="touches", touches=[], revision=4)
    assert level(4) == -6


def test_a_hand_on_a_choice_of_whole_numbers_that_is_automated(session):
    """JSON knows no whole numbers: 48 comes as 48.0, and has to be the choice that it stands for."""
    session, wire = session
    ride = {"target": "f", "param": "high_pass_slope", "points": [{"at": 0, "value": 24}, {"at": 1, "value": 12}]}
    stage = {"id": "f", "kind": "filter", "params": {"high_pass_on": True}}
    say(session, type="edit", recipe=dump_recipe(recipe_of(stage, automation=[ride])), revision=1, heard=0)
    held = {"target": "f", "param": "high_pass_slope", "value": 48.0}
    say(session, type="touches", touches=[held], revision=2)
    say(session, type="credit", position=9600, epoch=0, heard=0)
    until(lambda: wire.blocks and wire.blocks[-1][3] == 2)
    assert not [one for one in wire.texts if one["type"] == "problem"]
    assert session.edited._recipe.automation, "what is in the hand changes no edit"


def test_a_message_that_fails_in_the_program_is_told_and_the_session_goes_on(session, monkeypatch):
    session, wire = session
    monkeypatch.setattr(session.edited, "take", lambda _message: 1 / 0)
    say(session, type="touches", touches=[touch(3.0)], revision=1)
    until(lambda: any(one["type"] == "problem" for one in wire.texts))
    monkeypatch.undo()
    say(session, type="credit", epoch=0, position=2000)
    until(lambda: len(wire.blocks) == 2)


def test_a_touch_of_what_is_not_there_is_told(session):
    session, wire = session
    say(session, type="touches", touches=[touch(3.0)], revision=1)
    until(lambda: any("no stage" in one.get("problem", "") for one in wire.texts))


def louder(db):
    return [{"path": ["master", 0, "params", "gain_db"], "value": db}]


def test_an_edit_may_be_said_as_what_it_changes(session):
    session, wire = session
    say(session, type="credit", epoch=0, position=9600, heard=0)
    say(session, type="change", changes=louder(1.0), revision=1)
    until(lambda: any("was not taken" in one.get("problem", "") for one in wire.texts))
    say(session, type="edit", recipe=gain(-6.0), revision=2, label="Trim")
    say(session, type="change", changes=louder(99.0), revision=3, label="Trim")
    until(lambda: any("99" in one.get("problem", "") for one in wire.texts))
    assert session.edited.unkept[1].master[0].params.gain_db == -6.0, "what is refused is not heard"
    # what both sides hold goes on from what was refused
    say(session, type="change", changes=louder(3.0), revision=4, label="Trim 3 dB")
    until(lambda: wire.blocks and wire.blocks[-1][3] == 4 and wire.blocks[-1][1] + 1024 >= 9600)
    level_db = 20 * np.log10(np.abs(wire.blocks[-1][4][0]).max())
    assert level_db == pytest.approx(-9.0, abs=0.05)
    label, recipe = session.edited.unkept
    assert (label, recipe.master[0].params.gain_db) == ("Trim 3 dB", 3.0)
    described = [one["stages"] for one in wire.texts if one["type"] == "described"]
    assert "3" in described[-1]["t"]["summary"]


def test_what_may_be_kept_may_be_heard(session):
    session, wire = session
    points = [{"at": round(i / 1000, 3), "value": -6.0, "ramp": "line"} for i in range(10000)]
    trims = [{"id": f"t{i}", "kind": "trim"} for i in range(4)]
    rides = [{"target": trim["id"], "param": "gain_db", "points": points} for trim in trims]
    document = {"format": "tin-kettle-recipe", "version": 1, "master": trims, "automation": rides}
    assert 1 << 20 < len(json.dumps(document)) < MOST_JSON_BYTES <= MOST_MESSAGE_BYTES
    say(session, type="credit", epoch=0, position=9600, heard=0)
    say(session, type="edit", recipe=document, revision=7, heard=0)
    until(lambda: wire.blocks and wire.blocks[-1][3] == 7)
