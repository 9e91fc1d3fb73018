"""An end to what one listener may have waiting: while too much of it is unread, the socket is not read any more."""

from __future__ import annotations

import threading

from simple_websocket import Server

MOST_WAITING_BYTES = 8 << 20
"""Far beyond what a bench sends ahead, and two of the largest messages."""
LOOK_S = 0.02


class Inbox(threading.Event):
    """Tells who takes messages that one has come; whoever brings too many waits here, and his sender with him."""

    def __init__(self) -> None:
        super().__init__()
        self._socket: Server | None = None

    def guard(self, socket: Server) -> None:
        """Look after the messages that wait in a socket's buffer."""
        self._socket = socket

    def set(self) -> None:
        super().set()
        while self._is_full():
            threading.Event().wait(LOOK_S)

    def _is_full(self) -> bool:
        socket = self._socket
        if socket is None or not socket.connected:
            return False
        return sum(len(message) for message in list(socket.input_buffer)) > MOST_WAITING_BYTES
