"""References: bring, choose a passage, forget, go towards their tone."""

from __future__ import annotations

from dataclasses import asdict
from pathlib import PurePath
from typing import Any

from flask import Blueprint, Response, jsonify

from tin_kettle.core.errors import LibraryError
from tin_kettle.core.survey.suggest import suggest_tone
from tin_kettle.store import comparisons as kept
from tin_kettle.store.songs import current_revision
from tin_kettle.store.sources import keep_source, receive
from tin_kettle.web.context import context, look
from tin_kettle.web.jobs import Job
from tin_kettle.web.request_models import Number, RequestModel, argument, chunks, reads, takes, takes_bytes
from tin_kettle.web.versions import version_document

blueprint = Blueprint("references", __name__, url_prefix="/api")


class PassageRequest(RequestModel):
    start_frame: Number
    end_frame: Number


def _document(ref: kept.Reference) -> dict[str, Any]:
    return asdict(ref)


@blueprint.get("/references")
def references() -> Response:
    return jsonify([_document(ref) for ref in kept.list_references(context().library)])


@blueprint.post("/references")
@reads("name")
@takes_bytes
def add_reference() -> Response:
    """Take a finished record in; the body is the file."""
    library = context().library
    name = PurePath(argument("name", "").replace("\\", "/")).name[:200] or "reference"
    path, sha256 = receive(library, chunks())
    source = keep_source(library, path, sha256, name)
    return jsonify(_document(kept.add_reference(library, source, PurePath(name).stem)))


@blueprint.put("/references/<int:reference_id>")
@takes(PassageRequest)
def choose_passage(reference_id: int, given: PassageRequest) -> Response:
    """Choose the passage that is compared."""
    wanted = given
    kept.set_passage(context().library, reference_id, wanted.start_frame, wanted.end_frame)
    return jsonify(_document(kept.get_reference(context().library, reference_id)))


@blueprint.delete("/references/<int:reference_id>")
def forget(reference_id: int) -> Response:
    kept.remove_reference(context().library, reference_id)
    return jsonify(removed=True)


@blueprint.post("/songs/<int:song_id>/references/<int:reference_id>/suggest")
def suggest(song_id: int, reference_id: int) -> Response:
    """Keep a tone that goes half the way to a reference as a version beside the present state."""
    library, ref = context().library, kept.get_reference(context().library, reference_id)
    now, other = look(song_id), look(song_id, f"reference:{reference_id}")
    if isinstance(now, Job) or isinstance(other, Job):
        raise LibraryError("the survey is still under way; try again when it is done")
    recipe = current_revision(library, song_id).recipe
    found = suggest_tone(recipe, now, other, ref.start_frame, ref.end_frame)
    if found is None:
        raise LibraryError(f"{ref.name} and the song differ by less than is worth a move; nothing to suggest")
    return jsonify(version_document(kept.try_version(library, song_id, found, f"Towards {ref.name}")))
