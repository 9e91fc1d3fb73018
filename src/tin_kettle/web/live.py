"""The live socket: it finds what a name stands for, and gives a :class:`Session` the wire."""

from __future__ import annotations

import json
import socket
import threading
from collections.abc import Callable, Iterable, Mapping
from contextlib import ExitStack, suppress
from functools import partial
from typing import Any

from flask import Flask
from flask_sock import Sock
from simple_websocket import ConnectionClosed, Server

from tin_kettle.core.dsp.timeline import Timeline
from tin_kettle.core.engine.live.audition import Audition
from tin_kettle.core.engine.live.road import Piece
from tin_kettle.core.engine.source import FileSource
from tin_kettle.core.errors import KettleError
from tin_kettle.core.recipe.model import Recipe
from tin_kettle.store.songs import current_revision
from tin_kettle.store.sources import KeptSource, song_sources, source_path
from tin_kettle.web.context import Context, open_sources
from tin_kettle.web.others import REFERENCE_BUS, find_other
from tin_kettle.web.session import Session

StartResponse = Callable[..., Any]


def _find_piece(
    context: Context,
    song_id: int,
    audition: Audition,
    heard: Mapping[str, KeptSource],
    stack: ExitStack,
    name: str,
    now: Recipe,
) -> Piece:
    """What a name stands for, ready to be played beside now, whose sources are ``heard``.

    Files that are opened for it close with the stack.
    """
    other = find_other(context.library, song_id, name, now)
    if other.reference is None:
        if other.sources == heard:
            return Piece(other.recipe, audition.sources)
        # made of other bounces
        files = {bus_id: FileSource(source_path(context.library, kept)) for bus_id, kept in other.sources.items()}
        for file in files.values():
            stack.callback(file.close)
        return Piece(other.recipe, files)
    source = context.converted.open(context.library, other.reference.source, audition.rate_hz)
    stack.callback(source.close)
    scale = audition.rate_hz / other.reference.source.rate_hz
    start, end = (round(frame * scale) for frame in (other.reference.start_frame, other.reference.end_frame))
    return Piece(other.recipe, {REFERENCE_BUS: source}, Timeline(0, start, (start, min(end, source.frames))))


def _send_at_once(sock: socket.socket) -> None:
    """Hold no small message back to send it with the next; whoever left already is told so by the first message."""
    with suppress(OSError):
        sock.setsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY, 1)


def attach(app: Flask) -> None:
    """Give the app its socket."""
    sock = Sock(app)
    inner = app.wsgi_app

    def without_compression(environ: dict[str, Any], start: StartResponse) -> Iterable[bytes]:
        # compressing every message would cost more than rendering it
        environ.pop("HTTP_SEC_WEBSOCKET_EXTENSIONS", None)
        return inner(environ, start)

    app.wsgi_app = without_compression  # type: ignore[assignment,method-assign]

    @sock.route("/api/songs/<int:song_id>/live")  # type: ignore[untyped-decorator]
    def live(ws: Server, song_id: int) -> None:
        context = app.extensions["tin_kettle"]
        assert isinstance(context, Context)
        _send_at_once(ws.sock)
        with ExitStack() as stack:
            try:
                recipe = current_revision(context.library, song_id).recipe
                kept = song_sources(context.library, song_id)
                sources = open_sources(context.library, kept)
                for source in sources.values():
                    stack.callback(source.close)
                audition = Audition(recipe, sources)
                finder = partial(_find_piece, context, song_id, audition, kept, stack)
                session = Session(audition, ws.send, finder)
            except KettleError as refused:
                ws.send(json.dumps({"type": "problem", "problem": str(refused), "fatal": True}))
                return
            session.hello()
            renderer = threading.Thread(target=session.run, name="live", daemon=True)
            renderer.start()
            try:
                while True:
                    session.hear(ws.receive())
            except ConnectionClosed:
                pass
            finally:
                session.close()
                renderer.join(timeout=5.0)
