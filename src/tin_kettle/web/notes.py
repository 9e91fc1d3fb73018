"""Notes on a song, and the list for whoever mixed it."""

from __future__ import annotations

from typing import Annotated

from flask import Blueprint, Response, jsonify
from pydantic import Field

from tin_kettle.core.deliver.delivery import safe_name
from tin_kettle.core.errors import KettleError
from tin_kettle.core.survey.mix_notes import MixNote, as_csv, as_text, found_in_mix, in_order, mix_note
from tin_kettle.store import notes as kept
from tin_kettle.store.songs import get_song
from tin_kettle.web.context import context, look
from tin_kettle.web.jobs import Job
from tin_kettle.web.request_models import Number, RequestModel, argument, reads, takes

blueprint = Blueprint("notes", __name__, url_prefix="/api")


class NoteRequest(RequestModel):
    at_s: Annotated[float, Field(ge=0, le=1e6)] | None = None
    text: str


class ChangeRequest(RequestModel):
    id: Number
    text: str
    done: bool


class RemoveRequest(RequestModel):
    id: Number


class TickRequest(RequestModel):
    finding: Annotated[str, Field(min_length=1, max_length=120)]
    done: bool


def _found(song_id: int) -> list[MixNote] | None:
    """What was found in the song as received; None while it is not surveyed."""
    received = look(song_id, "received")
    if isinstance(received, Job):
        return None
    done = kept.ticked(context().library, song_id)
    return [mix_note(finding, finding.id in done) for finding in found_in_mix(received)]


def _shown(song_id: int) -> Response:
    found = _found(song_id)
    own = kept.list_notes(context().library, song_id)
    return jsonify(
        own=[{"id": note.id, "at_s": note.at_s, "text": note.text, "done": note.done} for note in own],
        found=None if found is None else [vars(note) for note in in_order(found)],
    )


def for_the_mix(song_id: int) -> list[MixNote]:
    """All that a song's list has, in the order of the song.

    Raises:
        KettleError: it is not surveyed yet.
    """
    found = _found(song_id)
    if found is None:
        title = get_song(context().library, song_id).title
        raise KettleError(f"'{title}' is still being surveyed; the list is there when it is")
    own = [MixNote(note.at_s, note.text, note.done) for note in kept.list_notes(context().library, song_id)]
    return in_order([*found, *own])


@blueprint.get("/songs/<int:song_id>/notes")
def every(song_id: int) -> Response:
    return _shown(song_id)


@blueprint.post("/songs/<int:song_id>/notes")
@takes(NoteRequest)
def add(song_id: int, given: NoteRequest) -> Response:
    kept.add_note(context().library, song_id, given.at_s, given.text)
    return _shown(song_id)


@blueprint.put("/songs/<int:song_id>/notes")
@takes(ChangeRequest)
def change(song_id: int, given: ChangeRequest) -> Response:
    kept.change_note(context().library, song_id, given.id, given.text, given.done)
    return _shown(song_id)


@blueprint.post("/songs/<int:song_id>/notes/remove")
@takes(RemoveRequest)
def remove(song_id: int, given: RemoveRequest) -> Response:
    kept.remove_note(context().library, song_id, given.id)
    return _shown(song_id)


@blueprint.post("/songs/<int:song_id>/notes/tick")
@takes(TickRequest)
def tick(song_id: int, given: TickRequest) -> Response:
    kept.tick(context().library, song_id, given.finding, given.done)
    return _shown(song_id)


@blueprint.get("/songs/<int:song_id>/notes/for-mix")
@reads("format")
def for_mix(song_id: int) -> Response:
    """The list as text; as a table with ``?format=csv``."""
    title, notes = get_song(context().library, song_id).title, for_the_mix(song_id)
    table = argument("format") == "csv"
    said = as_csv(title, notes) if table else as_text(title, notes)
    answer = Response(said, mimetype="text/csv" if table else "text/plain")
    name = f"{safe_name(title)} notes for the mix.{'csv' if table else 'txt'}"
    answer.headers.set("Content-Disposition", "attachment", filename=name)
    return answer
