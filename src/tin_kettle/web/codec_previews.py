"""The song as it will be coded, to be compared with: made in the background, under names that say of what."""

from __future__ import annotations

from flask import Blueprint, Response, jsonify
from pydantic import Field

from tin_kettle.core.deliver.codec_preview import Coder
from tin_kettle.store.songs import current_revision
from tin_kettle.store.sources import song_sources
from tin_kettle.web.context import context
from tin_kettle.web.request_models import RequestModel, takes
from tin_kettle.web.surveys import content_of

blueprint = Blueprint("coded", __name__, url_prefix="/api")


class PreviewRequest(RequestModel):
    coder: Coder
    kbit_s: int = Field(ge=32, le=512)


@blueprint.post("/songs/<int:song_id>/coded")
@takes(PreviewRequest)
def coded(song_id: int, given: PreviewRequest) -> Response:
    """The song as it stands, coded and decoded: how far it is, or what it measures and the names to compare it by."""
    here = context()
    recipe, sources = current_revision(here.library, song_id).recipe, song_sources(here.library, song_id)
    about = f"{given.coder}:{given.kbit_s}"
    keys = {what: content_of(recipe, sources, what, about) for what in ("coded", "added")}
    out, added = (str(here.library.folder("audio") / f"{key}.wav") for key in keys.values())
    task = {
        "do": "coded",
        "stage": about,
        "coder": given.coder,
        "kbit_s": given.kbit_s,
        "out": out,
        "added": added,
    }
    told = here.trials.report(song_id, recipe, task, sources)
    return jsonify({**told, **{what: f"{what}:{about}:{key}" for what, key in keys.items()}})
