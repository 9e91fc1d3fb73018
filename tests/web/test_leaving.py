"""Listeners who leave: before anything is said to them, or in the middle of an edit."""

import json
import socket
import time

import pytest
from simple_websocket import Client

from tests.browser.driving import Server
from tests.conftest import music, recipe_of, write_wav
from tests.web.conftest import until
from tin_kettle.core.recipe.reading import dump_recipe
from tin_kettle.web.live import _prepare


def test_who_left_already_is_no_error():
    one, other = socket.socketpair()
    other.close()
    one.close()
    _prepare(one)


def test_what_is_said_is_not_held_back():
    with socket.create_server(("127.0.0.1", 0)) as server, socket.create_connection(server.getsockname()) as one:
        _prepare(one)
        assert one.getsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY)


@pytest.fixture
def server(tmp_path):
    served = Server(tmp_path / "left")
    yield served
    served.stop()


def trimmed(gain_db):
    return dump_recipe(recipe_of({"id": "t", "kind": "trim", "params": {"gain_db": gain_db}}))


def leave(server, song, label, *gains_db):
    """Be heard to edit, and be gone without a word."""
    listener = Client(server.url.replace("http", "ws") + f"/api/songs/{song}/live")
    for number, gain_db in enumerate(gains_db):
        edit = {"type": "edit", "recipe": trimmed(gain_db), "revision": number, "label": label, "heard": 0}
        listener.send(json.dumps(edit))
    # the server tells of every edit what it is in words
    while "-7" not in str(listener.receive(timeout=10)).replace("−", "-"):
        pass
    listener.close()


def left(server, song, wanted=None):
    return until(lambda: server.ask(f"/api/songs/{song}")["left"], lambda found: bool(found) == bool(wanted))


def test_what_was_heard_and_not_kept_is_offered_until_it_is_kept_or_given_up(server, tmp_path):
    song = server.add_song(write_wav(tmp_path / "l.wav", music(2.0) * 0.5), "Low Bridge")
    server.save(song, trimmed(0))
    leave(server, song, "Gain", -3, -7)
    found = left(server, song, wanted=True)
    assert (found["label"], found["recipe"]["master"][0]["params"]["gain_db"]) == ("Gain", -7)
    server.save(song, trimmed(-7))
    server.save(song, trimmed(1))
    assert server.ask(f"/api/songs/{song}")["left"] is None, "the song has been there"
    leave(server, song, "Gain", -7.5)
    left(server, song, wanted=True)
    server.ask(f"/api/songs/{song}/left/forget", b"", "POST")
    assert server.ask(f"/api/songs/{song}")["left"] is None
    leave(server, song, None, -7.25)
    time.sleep(0.5)
    assert server.ask(f"/api/songs/{song}")["left"] is None, "it was only heard"
