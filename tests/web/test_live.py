"""The live socket's session: credit, coalesced edits, refusals; without a network."""

import json
import struct
import threading
import time

import numpy as np
import pytest

from tests.conftest import RATE_HZ, recipe_of, tone
from tin_kettle.core.engine.live import Audition
from tin_kettle.core.engine.source import ArraySource
from tin_kettle.core.recipe.reading import dump_recipe
from tin_kettle.web.live import HEADER, Session


class Wire:
    """The other end: takes what is sent apart."""

    def __init__(self):
        self.blocks, self.texts = [], []

    def __call__(self, data):
        if isinstance(data, str):
            self.texts.append(json.loads(data))
            return
        magic, version, planes, frames, epoch, revision, meters, position, song = HEADER.unpack_from(data)
        assert (magic, version, planes) == (b"TKLV", 1, 4)
        audio = np.frombuffer(data, "<f4", planes * frames, HEADER.size).reshape(planes, frames)
        told = json.loads(data[HEADER.size + audio.nbytes :])
        assert len(data) == HEADER.size + audio.nbytes + meters
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
    thread.join(5)
    assert not thread.is_alive()


def say(session, **message):
    session.hear(json.dumps(message))


def until(condition, seconds=10):
    end = time.monotonic() + seconds
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
    until(lambda: wire.blocks[-1][1] >= RATE_HZ)
    time.sleep(0.3)
    assert wire.blocks[-1][1] < 2.2 * RATE_HZ, "no credit reaches further than a second"


def test_the_last_of_many_edits_counts_and_is_sent_again_from_the_ear_on(session):
    session, wire = session
    say(session, type="credit", epoch=0, position=9600)
    until(lambda: len(wire.blocks) == 10)
    for number in range(1, 40):
        say(session, type="edit", recipe=gain(number / 10), revision=number, heard=1000)
    until(lambda: wire.blocks[-1][3] == 39 and wire.blocks[-1][1] == 9216)
    again = [block for block in wire.blocks if block[3] == 39]
    assert again[0][1] == 3072
    assert len(wire.blocks) < 60, "edits are coalesced"
    level = np.abs(again[-1][4][0]).max()
    assert 20 * np.log10(level) == pytest.approx(-12 + 3.9, abs=0.01)
    assert 20 * np.log10(np.abs(again[-1][4][2]).max()) == pytest.approx(-12, abs=0.01)


def test_seek_loop_and_tap(session):
    session, wire = session
    say(session, type="seek", song=96000)
    until(lambda: wire.blocks and wire.blocks[-1][0] == 1)
    assert wire.blocks[0][2] == 96000
    say(session, type="loop", loop=[1000, 2000], heard=0)
    until(lambda: wire.blocks[-1][0] == 2)
    assert 1000 <= wire.blocks[-1][2] < 2000
    say(session, type="listen", stage=None, tap="detector", heard=0)
    say(session, type="listen", stage=None, tap="sideways", heard=0)
    until(lambda: any(text["type"] == "problem" for text in wire.texts))


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
    assert wire.blocks[0][5]["match"]["estimate"]
