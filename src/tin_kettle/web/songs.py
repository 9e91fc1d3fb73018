"""Songs: the list, one with all that the bench needs, edits, undo and redo, the survey."""

from __future__ import annotations

from dataclasses import asdict
from typing import Any

from flask import Blueprint, Response, jsonify, request

from tin_kettle.core.errors import LibraryError
from tin_kettle.core.recipe.model import Bus, empty_recipe
from tin_kettle.core.recipe.reading import dump_recipe
from tin_kettle.store import songs as kept
from tin_kettle.store.songs import Revision
from tin_kettle.store.sources import find_source, load_waveform, song_sources, summed_waveform
from tin_kettle.web.context import context
from tin_kettle.web.surveys import Surveys

blueprint = Blueprint("songs", __name__, url_prefix="/api/songs")
MOST_COLUMNS = 8000
surveys = Surveys()


def _revision(revision: Revision) -> dict[str, Any]:
    return {
        "id": revision.id,
        "recipe": dump_recipe(revision.recipe),
        "label": revision.label,
        "made_at": revision.made_at,
        "undo": revision.undo,
        "redo": revision.redo,
    }


def _body() -> dict[str, Any]:
    body = request.get_json(silent=True)
    if not isinstance(body, dict):
        raise LibraryError("the request holds no JSON object; reload the bench")
    return body


def _int(name: str, default: int) -> int:
    return request.args.get(name, default, type=int)


@blueprint.get("")
def every() -> Response:
    return jsonify([asdict(row) for row in kept.list_songs(context().library)])


@blueprint.post("")
def add() -> Response:
    """Make a song of one imported source: ``{"title", "record", "sha256"}``."""
    library, body = context().library, _body()
    source = find_source(library, str(body.get("sha256", "")))
    if source is None:
        raise LibraryError("the sound file is not in the library; import it again")
    title = str(body.get("title", "")).strip()[:120] or source.name
    record = str(body.get("record", "")).strip()[:120] or "Imported"
    recipe = empty_recipe().model_copy(update={"buses": (Bus(id="mix", name="Mix"),)})
    return jsonify(id=kept.add_song(library, record, title, {"mix": source}, recipe))


@blueprint.get("/<int:song_id>")
def one(song_id: int) -> Response:
    library = context().library
    row = kept.get_song(library, song_id)
    sources = song_sources(library, song_id)
    return jsonify(
        **asdict(row),
        rate_hz=next(iter(sources.values())).rate_hz,
        frames=max(source.frames for source in sources.values()),
        sources={bus_id: asdict(source) for bus_id, source in sources.items()},
        revision=_revision(kept.current_revision(library, song_id)),
        view=kept.get_view(library, song_id),
    )


@blueprint.get("/<int:song_id>/waveform")
def waveform(song_id: int) -> Response:
    """Columns ``[lowest, highest]`` of the sources between two frames."""
    library = context().library
    sources = song_sources(library, song_id).values()
    frames = max((source.frames for source in sources), default=1)
    count = min(max(_int("columns", 1000), 1), MOST_COLUMNS)
    pyramids = [load_waveform(library, source.sha256) for source in sources]
    return jsonify(summed_waveform(pyramids, _int("from", 0), _int("to", frames), count))


@blueprint.put("/<int:song_id>/recipe")
def edit(song_id: int) -> Response:
    """Keep an edit: ``{"base", "label", "recipe"}``."""
    body = _body()
    base, label = body.get("base"), str(body.get("label", "edit"))[:200]
    if not isinstance(base, int):
        raise LibraryError("the edit does not say what it was made on; reload the bench")
    return jsonify(_revision(kept.save_revision(context().library, song_id, base, label, body.get("recipe"))))


@blueprint.post("/<int:song_id>/undo")
def undo(song_id: int) -> Response:
    return jsonify(_revision(kept.step_revision(context().library, song_id, back=True)))


@blueprint.post("/<int:song_id>/redo")
def redo(song_id: int) -> Response:
    return jsonify(_revision(kept.step_revision(context().library, song_id, back=False)))


@blueprint.put("/<int:song_id>/view")
def view(song_id: int) -> Response:
    kept.set_view(context().library, song_id, _body())
    return jsonify(kept=True)


@blueprint.get("/<int:song_id>/survey")
def survey(song_id: int) -> Response:
    """The survey of the present revision, begun where there is none: its progress, or columns for the song map."""
    return jsonify(surveys.overview(context(), song_id, min(max(_int("columns", 900), 1), MOST_COLUMNS)))


@blueprint.get("/<int:song_id>/survey/match")
def match(song_id: int) -> Response:
    """Gains for equal loudness of received and now between two frames; null while there is no survey."""
    return jsonify(surveys.match(context(), song_id, _int("from", 0), _int("to", 1 << 40)))


@blueprint.get("/<int:song_id>/survey/stages/<stage_id>")
def series(song_id: int, stage_id: str) -> Response:
    """A stage's levels and effort between two frames; null while there is no survey."""
    count = min(max(_int("columns", 500), 1), MOST_COLUMNS)
    return jsonify(surveys.series(context(), song_id, stage_id, _int("from", 0), _int("to", 1 << 40), count))
