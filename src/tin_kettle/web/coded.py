"""The song as it will be coded, to be compared with: made in the background, under names that say of what."""

from __future__ import annotations

from flask import Blueprint, Response, jsonify
from pydantic import Field

from tin_kettle.core.deliver.coding import Coder
from tin_kettle.core.recipe.reading import dump_recipe
from tin_kettle.store.songs import current_revision
from tin_kettle.store.sources import song_sources
from tin_kettle.web.asked import Asked, asked
from tin_kettle.web.context import context
from tin_kettle.web.surveys import content_of

blueprint = Blueprint("coded", __name__, url_prefix="/api")


class CodedAsked(Asked):
    coder: Coder
    kbit_s: int = Field(ge=32, le=512)


@blueprint.post("/songs/<int:song_id>/coded")
def coded(song_id: int) -> Response:
    """The song as it stands, coded and decoded: how far it is, or what it measures and the names to compare it by."""
    here, given = context(), asked(CodedAsked)
    recipe, sources = current_revision(here.library, song_id).recipe, song_sources(here.library, song_id)
    about = f"{given.coder}:{given.kbit_s}"
    keys = {what: content_of(recipe, sources, what, about) for what in ("coded", "added")}
    out, added = (str(here.library.folder("audio") / f"{key}.wav") for key in keys.values())
    task = {
        "do": "coded",
        "stage": about,
        "recipe": dump_recipe(recipe),
        "coder": given.coder,
        "kbit_s": given.kbit_s,
        "out": out,
        "added": added,
    }
    told = here.trials.tell(here, song_id, keys["coded"], task)
    return jsonify({**told, **{what: f"{what}:{about}:{key}" for what, key in keys.items()}})
