"""Half-sent heads, idle connections, readers that stall: everybody else is served, and whoever listens hears on."""

from __future__ import annotations

import json
import queue
import socket
import struct
import threading
import time
from collections.abc import Callable
from contextlib import ExitStack, closing, suppress
from pathlib import Path

from simple_websocket import Client, ConnectionClosed

from tests.attack.processes import memory_mb, open_files
from tests.attack.row import Row
from tests.browser.driving import Server
from tests.conftest import music, write_wav

QUEUE_S = 0.4
SLOWEST_S = 2.0
RESTING_FILES = 12
"""Connections to the database that wait for the next request."""
RATE_HZ = 48000
HEAD = struct.Struct("<4sHHIIIIdd")


class Listener:
    """Plays as the bench does, with a queue of 400 ms, and notes when it would have had nothing to play."""

    def __init__(self, server: Server, song: int) -> None:
        self._socket = Client(server.url.replace("http", "ws") + f"/api/songs/{song}/live")
        self._stop = threading.Event()
        self._edits: queue.SimpleQueue[dict[str, object]] = queue.SimpleQueue()
        self.silent_s = 0.0
        self._thread = threading.Thread(target=self._play)
        self._thread.start()

    def _play(self) -> None:
        began, had, epoch, last = None, 0, 0, time.monotonic()
        self._ask(0, epoch, 0)
        while not self._stop.is_set():
            message = self._socket.receive(timeout=0.02)
            if isinstance(message, bytes):
                _, _, _, frames, epoch, _, _, position, _ = HEAD.unpack_from(message)
                had = max(had, int(position) + frames)
                began = began or time.monotonic()
            with suppress(queue.Empty):
                self._socket.send(json.dumps({**self._edits.get_nowait(), "heard": had}))
            heard = 0 if began is None else round((time.monotonic() - began - self.silent_s) * RATE_HZ)
            if heard > had:
                self.silent_s += (heard - had) / RATE_HZ
                heard = had
            if time.monotonic() - last > 0.05:
                last = time.monotonic()
                self._ask(heard, epoch, heard)

    def _ask(self, position: int, epoch: int, heard: int) -> None:
        ahead = position + round(QUEUE_S * RATE_HZ)
        self._socket.send(json.dumps({"type": "credit", "epoch": epoch, "position": ahead, "heard": heard}))

    def edit(self, recipe: dict[str, object], revision: int) -> None:
        """Hear it otherwise from now on."""
        self._edits.put({"type": "edit", "recipe": recipe, "revision": revision, "heard": 0})

    def stop(self) -> float:
        """End it; returns for how long it was silent."""
        self._stop.set()
        self._thread.join()
        self._socket.close()
        return self.silent_s


def attack(folder: Path, seconds: float, patience_s: float = 0.0) -> list[Row]:
    """Args: seconds: for how long each attack lasts; patience_s: for how long a busy machine may be silent or slow."""
    server = Server(folder / "connections")
    song = server.add_song(write_wav(folder / "c.wav", music(60.0) * 0.5), "Low Bridge")
    attacks: dict[str, Callable[[Server, int, ExitStack], str]] = {
        "Half-sent heads": _half_heads,
        "Idle connections": _idle,
        "Readers that stall and send garbage": _stalled,
        "A name in many spellings": _spellings,
    }
    rows = []
    for name, begin in attacks.items():
        listener = Listener(server, song)
        # its kernels are loaded, and it plays as it will
        time.sleep(1.0)
        quiet_s = listener.silent_s
        before = open_files(server), memory_mb(server)
        with ExitStack() as stack:
            tried = begin(server, song, stack)
            slowest_s, end = 0.0, time.monotonic() + seconds
            while time.monotonic() < end:
                asked = time.monotonic()
                server.ask("/api/songs")
                slowest_s = max(slowest_s, time.monotonic() - asked)
                time.sleep(0.02)
        silent_s = listener.stop() - quiet_s
        _until(lambda files=before[0]: open_files(server) <= files + RESTING_FILES)
        after = open_files(server), memory_mb(server)
        harm = []
        if slowest_s > SLOWEST_S + patience_s:
            harm.append(f"a request took {slowest_s:.1f} s")
        if silent_s > patience_s:
            harm.append(f"silent for {silent_s:.2f} s")
        if after[0] > before[0] + RESTING_FILES:
            harm.append(f"{after[0] - before[0]} files stay open")
        found = (
            f"slowest request {slowest_s * 1000:.0f} ms, silent {silent_s:.2f} s, files {before[0]} → {after[0]}, "
            f"memory {before[1]:.0f} → {after[1]:.0f} MB"
        )
        rows.append(Row(name, tried, found, tuple(harm)))
    server.stop()
    return rows


def _until(condition: Callable[[], bool], seconds: float = 25.0) -> None:
    end = time.monotonic() + seconds
    while not condition() and time.monotonic() < end:
        time.sleep(0.2)


def _connections(server: Server, stack: ExitStack, count: int, says: bytes) -> None:
    for _ in range(count):
        one = stack.enter_context(closing(socket.create_connection(("127.0.0.1", server.port))))
        if says:
            one.sendall(says)


def _half_heads(server: Server, _song: int, stack: ExitStack) -> str:
    _connections(server, stack, 120, b"GET /api/songs HTTP/1.1\r\nHost: localhost\r\nX-Slow: ")
    return "120 at once"


def _idle(server: Server, _song: int, stack: ExitStack) -> str:
    _connections(server, stack, 300, b"")
    return "300 at once"


def _stalled(server: Server, song: int, stack: ExitStack) -> str:
    key = "dGhlIHNhbXBsZSBub25jZQ=="
    opening = (
        f"GET /api/songs/{song}/live HTTP/1.1\r\nHost: 127.0.0.1:{server.port}\r\nUpgrade: websocket\r\n"
        f"Connection: Upgrade\r\nSec-WebSocket-Key: {key}\r\nSec-WebSocket-Version: 13\r\n\r\n"
    ).encode()
    garbage = b"\x81\x85\x00\x00\x00\x00trash" * 200
    for _ in range(3):
        one = stack.enter_context(closing(socket.create_connection(("127.0.0.1", server.port))))
        one.sendall(opening)
        one.settimeout(0.5)

        def flood(one: socket.socket = one) -> None:
            try:
                for _ in range(300):
                    one.sendall(garbage)
            except OSError:
                return

        flooding = threading.Thread(target=flood, daemon=True)
        flooding.start()
        stack.callback(flooding.join)
    return "3 with 60,000 messages each"


def _spellings(server: Server, song: int, _stack: ExitStack) -> str:
    one = Client(server.url.replace("http", "ws") + f"/api/songs/{song}/live")
    names = [f"{kind}:{'0' * zeros}1" for kind in ("reference", "version", "edit") for zeros in range(1, 12)]
    try:
        for name in names:
            one.send(json.dumps({"type": "compare", "other": name, "heard": 0}))
        one.close()
    except ConnectionClosed:
        pass
    return f"{len(names)} spellings"
