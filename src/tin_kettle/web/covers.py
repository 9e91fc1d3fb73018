"""Covers of records: a picture taken in, and shown."""

from __future__ import annotations

from flask import Blueprint, Response, jsonify, send_file

from tin_kettle.core.deliver.tags import MOST_COVER_BYTES, cover_type
from tin_kettle.core.errors import LibraryError
from tin_kettle.store.covers import cover_path, keep_cover
from tin_kettle.web.context import context
from tin_kettle.web.request_models import body, takes_bytes

blueprint = Blueprint("covers", __name__, url_prefix="/api/covers")
HEX_DIGITS = 64
YEAR_S = 365 * 24 * 3600


@blueprint.post("")
@takes_bytes
def add() -> Response:
    """Take a PNG or JPEG in; a record names it by its hash."""
    return jsonify(cover=keep_cover(context().library, body(MOST_COVER_BYTES)))


@blueprint.get("/<sha256>")
def show(sha256: str) -> Response:
    path = cover_path(context().library, sha256)
    if len(sha256) != HEX_DIGITS or not sha256.isalnum() or not path.is_file():
        raise LibraryError("there is no such cover; choose a picture for the record")
    return send_file(path, mimetype=cover_type(path.read_bytes()), max_age=YEAR_S)
