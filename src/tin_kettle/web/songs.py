"""Songs: the list, one with all that the bench needs, edits, undo and redo, the survey."""

from __future__ import annotations

import re
from dataclasses import asdict
from typing import Annotated, Any

from flask import Blueprint, Response, jsonify
from pydantic import Field

from tin_kettle.core.errors import AudioError, KettleError, LibraryError
from tin_kettle.core.recipe.model import Bus, empty_recipe
from tin_kettle.core.recipe.reading import dump_recipe
from tin_kettle.core.recipe.size_limits import check_size
from tin_kettle.store import songs as kept
from tin_kettle.store.background_import import coming
from tin_kettle.store.songs import Revision
from tin_kettle.store.sources import StoredSource, find_source, load_waveform, song_sources, summed_waveform
from tin_kettle.web.context import context, passage
from tin_kettle.web.replace_source import fitted
from tin_kettle.web.request_models import (
    Number,
    RequestModel,
    argument,
    document,
    reads,
    takes,
    takes_document,
    whole_number,
)

blueprint = Blueprint("songs", __name__, url_prefix="/api/songs")
MOST_COLUMNS = 8000
MOST_BUSES = 32
MOST_VIEW_BYTES = 16 << 10


SaveId = Annotated[str, Field(min_length=1, max_length=64)]


class SourceRequest(RequestModel):
    sha256: str
    name: str = ""


class SongRequest(RequestModel):
    """A song of one file, or of buses with ``sources``."""

    title: str = ""
    record: str = ""
    sha256: str | None = None
    sources: list[SourceRequest] | None = Field(default=None, max_length=MOST_BUSES)


class EditRequest(RequestModel):
    """``base`` is the revision that it was made on, ``id`` the movement of the hand that it belongs to, ``unanswered``
    are movements of which the bench does not know what became of them."""

    base: Number
    saves: Number = 0
    id: SaveId | None = None
    unanswered: list[SaveId] = Field(default=[], max_length=100)
    label: str = "edit"
    recipe: Any


class BounceRequest(RequestModel):
    sha256: str


def revision_document(revision: Revision) -> dict[str, Any]:
    return {
        "id": revision.id,
        "saves": revision.saves,
        "recipe": dump_recipe(revision.recipe),
        "label": revision.label,
        "made_at": revision.made_at,
        "bounces": revision.bounces,
        "undo": revision.undo,
        "redo": revision.redo,
    }


@blueprint.get("")
def every() -> Response:
    return jsonify([asdict(row) for row in kept.list_songs(context().library)])


@blueprint.get("/coming")
def coming_songs() -> Response:
    """What is being made for the library beside the server, in words."""
    return jsonify(coming=coming(context().library))


@blueprint.post("")
@takes(SongRequest)
def add(given: SongRequest) -> Response:
    """Make a song of a :class:`SongRequest`."""
    library = context().library
    entries = given.sources or [SourceRequest(sha256=given.sha256 or "", name="Mix")]
    sources: dict[str, StoredSource] = {}
    names: dict[str, str] = {}
    for entry in entries:
        source = find_source(library, entry.sha256)
        if source is None:
            raise LibraryError("the sound file is not in the library; import it again")
        name = (entry.name or source.name).rsplit(".", 1)[0].strip()[:120] or "Bus"
        bus_id = _bus_id(name, sources)
        sources[bus_id], names[bus_id] = source, name
    song_rate_of(sources)
    title = given.title.strip()[:120] or next(iter(sources.values())).name[:120]
    record = given.record.strip()[:120] or "Imported"
    buses = tuple(Bus(id=bus_id, name=name) for bus_id, name in names.items())
    recipe = empty_recipe().model_copy(update={"buses": buses})
    return jsonify(id=kept.add_song(library, record, title, sources, recipe))


def _bus_id(name: str, taken: dict[str, StoredSource]) -> str:
    plain = re.sub(r"[^a-z0-9]+", "-", name.lower()).strip("-")[:40] or "bus"
    if plain in taken:
        plain += f"-{len(taken) + 1}"
    return plain


def song_rate_of(sources: dict[str, StoredSource]) -> int:
    """The rate of all sources.

    Raises:
        AudioError: they differ.
    """
    rates = {source.name: source.rate_hz for source in sources.values()}
    if len(set(rates.values())) > 1:
        listed = ", ".join(f"{name} {rate} Hz" for name, rate in rates.items())
        raise AudioError(f"the files' rates differ ({listed}); bounce all at one rate")
    return next(iter(rates.values()))


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
        revision=revision_document(kept.current_revision(library, song_id)),
        view=kept.get_view(library, song_id),
        left=context().unsaved.found(library, song_id),
    )


@blueprint.get("/<int:song_id>/waveform")
@reads("from", "to", "columns", "bus")
def waveform(song_id: int) -> Response:
    """Columns ``[lowest, highest]`` of the sources between two frames."""
    library, bus = context().library, argument("bus")
    listed = song_sources(library, song_id)
    sources = [source for bus_id, source in listed.items() if bus in ("", bus_id)]
    if not sources:
        raise LibraryError(f"there is no song {song_id}, or nothing in it of that name; choose one from the list")
    frames = max(source.frames for source in listed.values())
    count = min(max(whole_number("columns", 1000), 1), MOST_COLUMNS)
    pyramids = [load_waveform(library, source.sha256) for source in sources]
    return jsonify(summed_waveform(pyramids, *passage(frames), count))


@blueprint.put("/<int:song_id>/recipe")
@takes(EditRequest)
def edit(song_id: int, given: EditRequest) -> Response:
    """Keep an edit."""
    saved = kept.save_revision(
        context().library,
        song_id,
        given.base,
        given.label[:200],
        given.recipe,
        given.id,
        given.unanswered,
        given.saves,
    )
    return jsonify(revision_document(saved))


@blueprint.post("/<int:song_id>/undo")
def undo(song_id: int) -> Response:
    return jsonify(revision_document(kept.step_revision(context().library, song_id, back=True)))


@blueprint.post("/<int:song_id>/redo")
def redo(song_id: int) -> Response:
    return jsonify(revision_document(kept.step_revision(context().library, song_id, back=False)))


@blueprint.put("/<int:song_id>/view")
@takes_document
def view(song_id: int) -> Response:
    found = document(MOST_VIEW_BYTES)
    if not isinstance(found, dict):
        raise KettleError("a view is a JSON object; reload the bench")
    check_size(found)
    kept.set_view(context().library, song_id, found)
    return jsonify(kept=True)


@blueprint.put("/<int:song_id>/buses/<bus_id>/source")
@takes(BounceRequest)
def replace(song_id: int, bus_id: str, given: BounceRequest) -> Response:
    """Put a new bounce in a bus's place: ``{"sha256"}``. It is lined up with the old one; the recipe stays."""
    library = context().library
    old, new = song_sources(library, song_id).get(bus_id), find_source(library, given.sha256)
    if old is None or new is None:
        raise LibraryError(f"there is no bus '{bus_id}', or no such file; import it again")
    song_rate_of({"old": old, "new": new})
    placed, says = fitted(library, old, new)
    kept.replace_source(library, song_id, bus_id, placed)
    return jsonify(source=asdict(placed), says=says)
