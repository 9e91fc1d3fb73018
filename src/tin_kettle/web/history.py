"""The history of a song: all edits in words, and how to go back to one."""

from __future__ import annotations

from dataclasses import asdict

from flask import Blueprint, Response, jsonify

from tin_kettle.store.history import list_edits, return_to
from tin_kettle.web.context import context
from tin_kettle.web.request_models import FARTHEST, reads, whole_number
from tin_kettle.web.songs import revision_document

blueprint = Blueprint("history", __name__, url_prefix="/api/songs")


@blueprint.get("/<int:song_id>/history")
@reads("before")
def history(song_id: int) -> Response:
    """``edits``, the newest first; with ``?before=`` those before one; ``more`` where there are older ones."""
    library = context().library
    edits = list_edits(library, song_id, whole_number("before", FARTHEST))
    more = bool(edits) and bool(list_edits(library, song_id, edits[-1].id))
    return jsonify(edits=[asdict(edit) for edit in edits], more=more)


@blueprint.post("/<int:song_id>/history/<int:revision_id>")
def back(song_id: int, revision_id: int) -> Response:
    """Go back to an edit; that is an edit too."""
    return jsonify(revision_document(return_to(context().library, song_id, revision_id)))


@blueprint.post("/<int:song_id>/left/forget")
def forget_unsaved(song_id: int) -> Response:
    """Give up what a listener left behind in the middle of an edit."""
    context().unsaved.forget(song_id)
    return jsonify(left=None)
