"""gunicorn's threaded worker with an end to its patience: whoever sends no whole head holds no thread for long.

A thread reads the head of a request, and waits for as long as its bytes take. So at most :data:`MOST_HEADS` heads are
waited for at a time, the oldest of them gives way, and none is waited for longer than :data:`HEAD_S`.
"""

from __future__ import annotations

import contextlib
import socket
import struct
import threading
import time
import weakref
from typing import Any

from gunicorn.workers.gthread import TConn, ThreadWorker

HEAD_S = 10.0
BODY_S = 30
"""So long a body may pause."""
MOST_HEADS = 24
MOST_CONNECTIONS = 160
"""Open connections of one address."""


class PatientWorker(ThreadWorker):  # type: ignore[misc]
    """Connections at rest cost no thread: they are given back to the poller."""

    def __init__(self, *args: Any, **more: Any) -> None:
        super().__init__(*args, **more)
        self._lock = threading.Lock()
        self._heads: dict[TConn, float] = {}
        self._open: weakref.WeakSet[TConn] = weakref.WeakSet()

    def enqueue_req(self, conn: TConn) -> None:
        if conn not in self._open:
            if sum(other.client[0] == conn.client[0] for other in self._open) >= MOST_CONNECTIONS:
                self.nr_conns -= 1
                conn.close()
                return
            self._open.add(conn)
            conn.sock.setsockopt(socket.SOL_SOCKET, socket.SO_RCVTIMEO, struct.pack("ll", BODY_S, 0))
        super().enqueue_req(conn)

    def handle(self, conn: TConn) -> Any:
        with self._lock:
            self._heads[conn] = time.monotonic()
            if len(self._heads) > MOST_HEADS:
                _cut(next(iter(self._heads)))
                del self._heads[next(iter(self._heads))]
        try:
            return super().handle(conn)
        finally:
            self._has_head(conn)

    def handle_request(self, req: Any, conn: TConn) -> Any:
        self._has_head(conn)
        return super().handle_request(req, conn)

    def _has_head(self, conn: TConn) -> None:
        with self._lock:
            self._heads.pop(conn, None)

    def murder_pending(self) -> None:
        """Called about once a second."""
        super().murder_pending()
        late = time.monotonic() - HEAD_S
        with self._lock:
            for conn in [conn for conn, since in self._heads.items() if since < late]:
                _cut(conn)
                del self._heads[conn]


def _cut(conn: TConn) -> None:
    """Whoever reads from it finds its end; the reader closes it."""
    with contextlib.suppress(OSError):
        conn.sock.shutdown(socket.SHUT_RDWR)
