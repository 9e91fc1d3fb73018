"""Findings: try a fix, dismiss, recall."""

from __future__ import annotations

from flask import Blueprint, Response, jsonify

from tin_kettle.core.errors import LibraryError
from tin_kettle.core.survey.findings import with_fix
from tin_kettle.store import comparisons as kept
from tin_kettle.store.songs import current_revision
from tin_kettle.web import surveys as views
from tin_kettle.web.context import context, look
from tin_kettle.web.jobs import Job
from tin_kettle.web.versions import version_document

blueprint = Blueprint("findings", __name__, url_prefix="/api")


@blueprint.post("/songs/<int:song_id>/findings/<finding_id>/try")
def try_fix(song_id: int, finding_id: str) -> Response:
    """Keep a finding's fix as a version beside the present state."""
    now, received = look(song_id), look(song_id, "received")
    if isinstance(now, Job) or isinstance(received, Job):
        raise LibraryError("the survey is still under way; try again when it is done")
    library = context().library
    found, _ = views.findings(library, song_id, now, received)
    finding = next((one for one in found if one.id == finding_id), None)
    if finding is None or finding.fix is None:
        raise LibraryError(f"there is no fix for '{finding_id}' any more; look at the list again")
    recipe = with_fix(current_revision(library, song_id).recipe, finding)
    return jsonify(
        version_document(kept.try_version(library, song_id, recipe, finding.fix[:1].upper() + finding.fix[1:]))
    )


@blueprint.post("/songs/<int:song_id>/findings/<finding_id>/dismiss")
def dismiss(song_id: int, finding_id: str) -> Response:
    kept.dismiss(context().library, song_id, finding_id[:120])
    return jsonify(dismissed=True)


@blueprint.post("/songs/<int:song_id>/findings/recall")
def recall(song_id: int) -> Response:
    kept.recall(context().library, song_id)
    return jsonify(recalled=True)
