"""Importing sound files: the body of the request is the file, written to disk as it comes in."""

from __future__ import annotations

from dataclasses import asdict
from pathlib import PurePath

from flask import Blueprint, Response, jsonify

from tin_kettle.store.sources import keep_source, receive
from tin_kettle.web.context import context
from tin_kettle.web.request_models import argument, chunks, reads, takes_bytes

blueprint = Blueprint("sources", __name__, url_prefix="/api/sources")


@blueprint.post("")
@reads("name")
@takes_bytes
def add() -> Response:
    """Take a file in; ``?name=`` is what the user calls it and is never used as a path."""
    name = PurePath(argument("name", "").replace("\\", "/")).name[:200] or "sound file"
    path, sha256 = receive(context().library, chunks())
    return jsonify(asdict(keep_source(context().library, path, sha256, name)))
