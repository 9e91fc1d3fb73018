"""The live socket: it finds what a name stands for, and gives a :class:`Session` the wire."""

from __future__ import annotations

import json
import socket
import struct
import threading
from collections.abc import Callable, Iterable, Mapping
from contextlib import suppress
from functools import partial
from typing import Any

from flask import Flask, request
from flask_sock import Sock
from simple_websocket import ConnectionClosed, Server

from tin_kettle.core.dsp.timeline import Timeline
from tin_kettle.core.engine.live.audition import Audition
from tin_kettle.core.engine.live.render_path import Piece
from tin_kettle.core.engine.source import FileSource
from tin_kettle.core.errors import KettleError
from tin_kettle.core.recipe.model import Recipe, empty_recipe
from tin_kettle.store.songs import current_revision
from tin_kettle.store.sources import StoredSource, song_sources, source_path
from tin_kettle.web.comparison_sources import REFERENCE_BUS, find_other
from tin_kettle.web.context import Context
from tin_kettle.web.error_text import in_words
from tin_kettle.web.priority import raised_priority
from tin_kettle.web.records import Part, record_sound
from tin_kettle.web.session import Session

StartResponse = Callable[..., Any]
STALLED_S = 15
"""A listener that takes nothing for so long is gone; with the pings, all are found out within 20 s."""
MOST_LISTENERS = 48
FULL = f"{MOST_LISTENERS} windows listen already; close one of them"
LOOK_S = 1.0
"""So often it is looked whether the sound has ended."""


def _find_piece(
    context: Context,
    song_id: int,
    audition: Audition,
    heard: Mapping[str, StoredSource],
    name: str,
    now: Recipe,
) -> Piece:
    """What a name stands for, ready to be played beside now, whose sources are ``heard``."""
    other = find_other(context.library, song_id, name, now)
    if other.reference is None:
        if other.sources == heard:
            return Piece(other.recipe, audition.sources)
        # made of other bounces
        files = {
            bus_id: context.opened.open(source_path(context.library, kept)) for bus_id, kept in other.sources.items()
        }
        return Piece(other.recipe, files)
    source = context.converted.open(context.library, other.reference.source, audition.rate_hz)
    scale = audition.rate_hz / other.reference.source.rate_hz
    start, end = (round(frame * scale) for frame in (other.reference.start_frame, other.reference.end_frame))
    return Piece(other.recipe, {REFERENCE_BUS: source}, Timeline(0, start, (start, min(end, source.frames))))


def _opened(context: Context, kept: Mapping[str, StoredSource]) -> dict[str, FileSource]:
    return {bus_id: context.opened.open(source_path(context.library, source)) for bus_id, source in kept.items()}


def _song_session(
    context: Context, send: Callable[[bytes | str], None], words: Callable[[Exception], str], song_id: int
) -> Session:
    recipe = current_revision(context.library, song_id).recipe
    kept = song_sources(context.library, song_id)
    audition = Audition(recipe, _opened(context, kept))
    return Session(audition, send, partial(_find_piece, context, song_id, audition, kept), words)


def _leave(song_id: int, context: Context, session: Session) -> None:
    """Hold what was edited and not kept; what a page sends as it goes away may come after its socket has closed."""
    if session.edited.unkept is not None:
        context.unsaved.leave(song_id, *session.edited.unkept)


def _record_session(
    context: Context,
    send: Callable[[bytes | str], None],
    words: Callable[[Exception], str],
    record_id: int,
    part: Part,
    equal: bool,
) -> Session:
    """A record is heard as a song without stages, whose source is the record laid out."""
    _, source = record_sound(context, record_id, part, equal)
    return Session(Audition(empty_recipe(), {REFERENCE_BUS: source}), send, None, words)


def _prepare(sock: socket.socket) -> None:
    """Hold no small message back to send it with the next, and wait only so long for whoever does not read.

    Whoever left already is told so by the first message.
    """
    with suppress(OSError):
        sock.setsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY, 1)
        sock.setsockopt(socket.SOL_SOCKET, socket.SO_SNDTIMEO, struct.pack("ll", STALLED_S, 0))


def attach(app: Flask) -> None:
    """Give the app its socket; each listener holds a thread, and some must be left for everything else."""
    sock = Sock(app)
    places = threading.Semaphore(MOST_LISTENERS)
    inner = app.wsgi_app

    def without_compression(environ: dict[str, Any], start: StartResponse) -> Iterable[bytes]:
        # compressing every message would cost more than rendering it
        environ.pop("HTTP_SEC_WEBSOCKET_EXTENSIONS", None)
        return inner(environ, start)

    app.wsgi_app = without_compression  # type: ignore[assignment,method-assign]

    @sock.route("/api/songs/<int:song_id>/live")  # type: ignore[untyped-decorator]
    def song(ws: Server, song_id: int) -> None:
        seat(ws, partial(_song_session, song_id=song_id), partial(_leave, song_id))

    @sock.route("/api/records/<int:record_id>/live")  # type: ignore[untyped-decorator]
    def record(ws: Server, record_id: int) -> None:
        part: Part = "joins" if request.args.get("part") == "joins" else "all"
        equal = request.args.get("level") == "equal"
        seat(ws, partial(_record_session, record_id=record_id, part=part, equal=equal), lambda _context, _session: None)

    def seat(ws: Server, begin: Callable[..., Session], leave: Callable[[Context, Session], None]) -> None:
        context = app.extensions["tin_kettle"]
        assert isinstance(context, Context)
        _prepare(ws.sock)
        ws.event.guard(ws)
        words = partial(in_words, context.library)
        if not places.acquire(blocking=False):
            ws.send(json.dumps({"type": "problem", "problem": FULL, "fatal": True}))
            return
        try:
            listen(context, ws, begin, words, leave)
        finally:
            places.release()

    def listen(
        context: Context,
        ws: Server,
        begin: Callable[..., Session],
        words: Callable[[Exception], str],
        leave: Callable[[Context, Session], None],
    ) -> None:
        try:
            session = begin(context, ws.send, words)
        except (KettleError, OSError) as refused:
            ws.send(json.dumps({"type": "problem", "problem": words(refused), "fatal": True}))
            return
        renderer = threading.Thread(target=session.run, name="live", daemon=True)
        try:
            with raised_priority(), suppress(ConnectionClosed):
                session.hello()
                renderer.start()
                while renderer.is_alive():
                    message = ws.receive(timeout=LOOK_S)
                    if message is not None:
                        session.hear(message)
        finally:
            # whatever ends the connection, the thread that renders for it ends as well
            session.close()
            leave(context, session)
            if renderer.ident is not None:
                renderer.join(timeout=5.0)
