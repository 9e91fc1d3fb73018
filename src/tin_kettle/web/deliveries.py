"""Delivery of a record: specs, what was made by them, what is to be made, and the papers."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Callable, Sequence
from dataclasses import asdict
from typing import Any

from flask import Blueprint, Response, jsonify
from pydantic import Field

from tin_kettle.core.deliver.check import Check
from tin_kettle.core.deliver.delivery import file_name, file_names, headings_of
from tin_kettle.core.deliver.spec import Spec
from tin_kettle.core.deliver.tags import Heading, holds_tags
from tin_kettle.core.errors import KettleError, LibraryError
from tin_kettle.core.recipe.reading import dump_recipe
from tin_kettle.store import deliveries as kept
from tin_kettle.store import specs as specs_kept
from tin_kettle.store.covers import cover_path
from tin_kettle.store.deliveries import DeliveryRow
from tin_kettle.store.records import RecordState, StoredSong, get_record
from tin_kettle.store.songs import current_revision
from tin_kettle.store.sources import song_sources, source_files
from tin_kettle.web.context import context
from tin_kettle.web.downloads import send_kept
from tin_kettle.web.jobs import Job
from tin_kettle.web.request_models import Number, RequestModel, takes
from tin_kettle.web.surveys import content_of

blueprint = Blueprint("deliveries", __name__, url_prefix="/api")
MOST_CELLS = 400


class CellRequest(RequestModel):
    """A song by a spec; no song where the spec makes the whole record one file."""

    song: Number | None = None
    spec: str


class DeliveryRequest(RequestModel):
    """Songs by specs that are to be made."""

    cells: list[CellRequest] = Field(min_length=1, max_length=MOST_CELLS)


class SpecRequest(RequestModel):
    spec: Any


class NameRequest(RequestModel):
    name: str


# ---- specs


def _specs() -> Response:
    listed = specs_kept.list_specs(context().library)
    return jsonify([{"spec": one.spec.model_dump(mode="json"), "own": one.own} for one in listed])


@blueprint.get("/specs")
def specs() -> Response:
    return _specs()


@blueprint.post("/specs")
@takes(SpecRequest)
def keep_spec(given: SpecRequest) -> Response:
    specs_kept.keep_spec(context().library, given.spec)
    return _specs()


@blueprint.post("/specs/remove")
@takes(NameRequest)
def remove_spec(given: NameRequest) -> Response:
    specs_kept.remove_spec(context().library, given.name)
    return _specs()


# ---- what is made by them


def _heading(state: RecordState, song: StoredSong | None, spec: Spec) -> Heading:
    headings = headings_of(state, [(one.title, one) for one in state.songs], spec)
    return headings[state.songs.index(song) if song else 0]


def _needed(state: RecordState, song: StoredSong | None, spec: Spec) -> Sequence[StoredSong]:
    """The songs that a file is made of."""
    return [song] if song and spec.files == "songs" else state.songs


def content(state: RecordState, song: StoredSong | None, spec: Spec) -> str:
    """A name for all that a file is made of: sounds, recipes, how they lie, what it is called, its cover, the spec."""
    library = context().library
    apart = {"id", "title", "gap_s"} if spec.files == "songs" else {"id", "title"}
    songs = [
        [
            content_of(current_revision(library, one.id).recipe, song_sources(library, one.id)),
            one.model_dump(mode="json", exclude=apart),
        ]
        for one in _needed(state, song, spec)
    ]
    heading = asdict(_heading(state, song, spec))
    cover = state.cover if spec.tags and holds_tags(spec.container) else None
    told = json.dumps([songs, heading, cover, spec.model_dump(mode="json")], sort_keys=True)
    return hashlib.sha256(told.encode()).hexdigest()


def shown(record_id: int) -> list[dict[str, Any]]:
    """The newest delivery of every song and spec; ``changed`` where it would be made otherwise now."""
    here = context()
    state = get_record(here.library, record_id).state
    songs = _places(state)
    wanted = {one.spec.name: one.spec for one in specs_kept.list_specs(here.library)}
    told = []
    for row in kept.newest_deliveries(here.library, record_id):
        spec = wanted.get(row.spec)
        if spec is None or row.song_id not in songs or (row.song_id is None) != (spec.files == "whole"):
            continue
        job = here.delivering.get(row.id)
        told.append(
            {
                **asdict(row),
                "passed": row.passed,
                "progress": job.progress if job else float(row.state == "done"),
                "changed": row.content != content(state, songs[row.song_id], spec),
                "reasons": _reasons(row),
            }
        )
    return told


def _places(state: RecordState) -> dict[int | None, StoredSong | None]:
    """What can be delivered, by the number that it is asked by: the songs, and the whole."""
    return {None: None, **{song.id: song for song in state.songs}}


def _reasons(row: DeliveryRow) -> list[str]:
    if row.problem:
        return [row.problem]
    return [Check(**check).words for check in row.checks or [] if not check["passed"]]


@blueprint.get("/records/<int:record_id>/deliveries")
def every(record_id: int) -> Response:
    return jsonify(shown(record_id))


@blueprint.post("/records/<int:record_id>/deliveries")
@takes(DeliveryRequest)
def begin(record_id: int, given: DeliveryRequest) -> Response:
    """Make songs by specs; what is there already and made of the same is not made again."""
    here = context()
    state = get_record(here.library, record_id).state
    songs = _places(state)
    rows = {(row.song_id, row.spec): row for row in kept.newest_deliveries(here.library, record_id)}
    for cell in given.cells:
        spec = specs_kept.get_spec(here.library, cell.spec)
        if cell.song not in songs:
            raise LibraryError(f"song {cell.song} is not on this record; reload it")
        if (cell.song is None) != (spec.files == "whole"):
            asked = "the whole record" if spec.files == "whole" else "one song"
            raise KettleError(f"a file by '{spec.name}' is of {asked}; reload the record")
        if not state.songs:
            raise KettleError("the record has no songs; add one")
        file_names(state, [(one.title, one) for one in state.songs], [spec])
        song = songs[cell.song]
        before = rows.get((cell.song, cell.spec))
        wanted = content(state, song, spec)
        running = before is not None and before.id in here.delivering
        if before is None or before.content != wanted or not (running or before.passed):
            _begin(record_id, state, song, spec, wanted)
    return jsonify(shown(record_id))


def _begin(record_id: int, state: RecordState, song: StoredSong | None, spec: Spec, wanted: str) -> None:
    here, heading = context(), _heading(state, song, spec)
    library, jobs = here.library, here.jobs
    song_id = song.id if song else None
    revision_id = current_revision(library, song.id).id if song else None
    name = file_name(spec, heading)
    delivery_id = kept.add_delivery(library, record_id, song_id, revision_id, spec.name, wanted, name)
    needed = _needed(state, song, spec)
    task = {
        "songs": [
            {
                "recipe": dump_recipe(current_revision(library, one.id).recipe),
                "sources": source_files(library, song_sources(library, one.id)),
                "laid": one.model_dump(mode="json", exclude={"id", "title"}),
            }
            for one in needed
        ],
        "number": needed.index(song) if song else None,
        "out": str(kept.delivery_path(library, kept.get_delivery(library, delivery_id))),
        "spec": spec.model_dump(mode="json"),
        "heading": {key: value for key, value in asdict(heading).items() if key != "cover"},
        "cover": str(cover_path(library, state.cover)) if state.cover else None,
    }

    def start(forget: Callable[[], None]) -> Job:
        def finished(job: Job) -> None:
            ended = "done" if job.result else "failed" if job.problem else "stopped"
            kept.finish_delivery(library, delivery_id, ended, job.problem, job.result)
            forget()

        return jobs.start("print", task | {"do": "deliver"}, finished)

    here.delivering.begin(delivery_id, start)


@blueprint.post("/records/<int:record_id>/deliveries/stop")
def stop(record_id: int) -> Response:
    """Stop all that is being made of a record."""
    here = context()
    for row in kept.newest_deliveries(here.library, record_id):
        job = here.delivering.get(row.id)
        if job:
            here.jobs.stop("print", job)
    return jsonify(shown(record_id))


@blueprint.get("/deliveries/<int:delivery_id>/file")
def download(delivery_id: int) -> Response:
    row = kept.get_delivery(context().library, delivery_id)
    if row.state != "done":
        raise KettleError(f"{row.file_name} is {row.state}; there is nothing to download, deliver it again")
    path = kept.delivery_path(context().library, row)
    return send_kept(path, row.file_name, "deliver it again", row.sha256)
