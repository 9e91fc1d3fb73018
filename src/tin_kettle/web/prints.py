"""Prints: begin, watch, stop, download."""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import asdict
from typing import Any, Literal

from flask import Blueprint, Response, jsonify

from tin_kettle.core.deliver.dither import Dither
from tin_kettle.core.deliver.formats import Bits
from tin_kettle.core.deliver.printing import tail_of
from tin_kettle.core.deliver.spec import Tail, tail_seconds
from tin_kettle.core.errors import LibraryError
from tin_kettle.core.recipe.extract import bus_alone
from tin_kettle.core.recipe.reading import dump_recipe
from tin_kettle.store import prints as kept
from tin_kettle.store.prints import PrintRow
from tin_kettle.store.songs import current_revision, get_song
from tin_kettle.store.sources import song_sources, source_files
from tin_kettle.web.context import context
from tin_kettle.web.downloads import send_kept
from tin_kettle.web.jobs import Job
from tin_kettle.web.request_models import Number, RequestModel, takes

blueprint = Blueprint("prints", __name__, url_prefix="/api")
MASTER = "master"


class PrintRequest(RequestModel):
    """``rate_hz`` None keeps the song's own; ``part`` is a bus or group, or the master."""

    format: Literal["wav", "flac", "aiff"] = "wav"
    bits: Bits = "24"
    dither: Dither | None = None
    rate_hz: Number | None = None
    band_limit: bool = False
    tail: Tail = "none"
    part: str = MASTER


def _shown(row: PrintRow) -> dict[str, Any]:
    job = context().printing.get(row.id)
    return {**asdict(row), "progress": job.progress if job else float(row.state == "done")}


@blueprint.post("/songs/<int:song_id>/prints")
@takes(PrintRequest)
def begin(song_id: int, given: PrintRequest) -> Response:
    """Print the song as it stands."""
    library = context().library
    settings = given.model_dump(exclude={"format", "part", "tail"}) | {"tail_s": tail_seconds(given.tail)}
    song, revision = get_song(library, song_id), current_revision(library, song_id)
    part = given.part or MASTER
    recipe = revision.recipe if part == MASTER else bus_alone(revision.recipe, part)
    title = re.sub(r"[^\w \-]+", "", song.title).strip() or "song"
    named = title if part == MASTER else f"{title} {part}"
    file_name = f"{named} r{revision.id}.{given.format}"
    print_id = kept.add_print(library, song_id, revision.id, file_name, settings)
    files = source_files(library, song_sources(library, song_id))
    out = kept.print_path(library, print_id, file_name)
    jobs = context().jobs
    task = {"recipe": dump_recipe(recipe), "sources": files, "out": str(out), "settings": settings}

    def start(forget: Callable[[], None]) -> Job:
        def finished(job: Job) -> None:
            state = "done" if job.result else "failed" if job.problem else "stopped"
            kept.finish_print(library, print_id, state, job.problem, job.result)
            forget()

        return jobs.start("print", task, finished)

    context().printing.begin(print_id, start)
    return jsonify(_shown(kept.get_print(library, print_id)))


@blueprint.get("/songs/<int:song_id>/tail")
def tail(song_id: int) -> Response:
    """How long the song rings on after its end, in seconds, and what room a print leaves for it unless it is told."""
    library = context().library
    recipe, sources = current_revision(library, song_id).recipe, song_sources(library, song_id)
    return jsonify(tail_of(recipe, next(iter(sources.values())).rate_hz))


@blueprint.get("/songs/<int:song_id>/prints")
def every(song_id: int) -> Response:
    return jsonify([_shown(row) for row in kept.list_prints(context().library, song_id)])


@blueprint.get("/prints/<int:print_id>")
def one(print_id: int) -> Response:
    return jsonify(_shown(kept.get_print(context().library, print_id)))


@blueprint.post("/prints/<int:print_id>/stop")
def stop(print_id: int) -> Response:
    job = context().printing.get(print_id)
    if job:
        context().jobs.stop("print", job)
    return jsonify(_shown(kept.get_print(context().library, print_id)))


@blueprint.get("/prints/<int:print_id>/file")
def download(print_id: int) -> Response:
    row = kept.get_print(context().library, print_id)
    if row.state != "done":
        raise LibraryError(f"print {print_id} is {row.state}; there is nothing to download, print again")
    path = kept.print_path(context().library, print_id, row.file_name)
    return send_kept(path, row.file_name, "print again")
