"""The live socket: it finds what a name stands for, and gives a :class:`Session` the wire."""

from __future__ import annotations

import json
import socket
import threading
from collections.abc import Callable, Iterable
from contextlib import ExitStack
from functools import partial
from typing import Any

from flask import Flask
from flask_sock import Sock
from simple_websocket import ConnectionClosed, Server

from tin_kettle.core.engine.live import Audition
from tin_kettle.core.engine.road import Piece
from tin_kettle.core.engine.timeline import Timeline
from tin_kettle.core.errors import KettleError
from tin_kettle.core.recipe.model import Recipe
from tin_kettle.store.database import Library
from tin_kettle.store.songs import current_revision
from tin_kettle.web.context import Context, open_sources
from tin_kettle.web.others import REFERENCE_BUS, find_other, open_at_rate
from tin_kettle.web.session import Session

StartResponse = Callable[..., Any]


def _find_piece(library: Library, song_id: int, audition: Audition, stack: ExitStack, name: str, now: Recipe) -> Piece:
    """What a name stands for, ready to be played beside now; files that are opened for it close with the stack."""
    other = find_other(library, song_id, name, now)
    if other.reference is None:
        return Piece(other.recipe, audition.sources)
    source = open_at_rate(library, other.reference.source, audition.rate_hz)
    stack.callback(source.close)
    scale = audition.rate_hz / other.reference.source.rate_hz
    start, end = (round(frame * scale) for frame in (other.reference.start_frame, other.reference.end_frame))
    return Piece(other.recipe, {REFERENCE_BUS: source}, Timeline(0, start, (start, min(end, source.frames))))


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
        ws.sock.setsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY, 1)
        with ExitStack() as stack:
            try:
                recipe = current_revision(context.library, song_id).recipe
                sources = open_sources(context.library, song_id)
                for source in sources.values():
                    stack.callback(source.close)
                audition = Audition(recipe, sources)
                finder = partial(_find_piece, context.library, song_id, audition, stack)
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
