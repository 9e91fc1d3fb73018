"""Whoever sends more than is taken is not read any more, until it is taken or he is gone."""

import threading
from types import SimpleNamespace

import pytest

from tests.conftest import PATIENCE_S
from tin_kettle.web.inbox import MOST_WAITING_BYTES, Inbox

LARGE = "x" * (MOST_WAITING_BYTES // 2 + 1)


@pytest.fixture
def socket():
    return SimpleNamespace(connected=True, input_buffer=[LARGE])


def bringing(inbox):
    thread = threading.Thread(target=inbox.set)
    thread.start()
    return thread


def test_what_is_taken_in_time_waits_for_nothing(socket):
    inbox = Inbox()
    inbox.guard(socket)
    inbox.set()
    assert inbox.is_set()


@pytest.mark.parametrize("end", ["taken", "gone"])
def test_who_brings_too_much_waits_until_it_is_taken_or_he_is_gone(socket, end):
    inbox = Inbox()
    inbox.guard(socket)
    socket.input_buffer += [LARGE, LARGE]
    thread = bringing(inbox)
    thread.join(0.2)
    assert thread.is_alive()
    assert inbox.is_set(), "who takes is told before"
    socket.input_buffer.pop()
    thread.join(0.2)
    assert thread.is_alive()
    if end == "taken":
        socket.input_buffer.pop()
    else:
        socket.connected = False
    thread.join(PATIENCE_S)
    assert not thread.is_alive()
