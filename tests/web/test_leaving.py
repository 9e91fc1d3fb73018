"""Listeners who leave before anything is said to them: a page that is reloaded twice in a moment."""

import socket

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
