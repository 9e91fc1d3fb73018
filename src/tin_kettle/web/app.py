"""Building the server."""

from __future__ import annotations

from functools import partial
from pathlib import Path

from flask import Flask, Response, jsonify, send_from_directory
from werkzeug.exceptions import HTTPException

from tin_kettle.core.errors import Conflict, KettleError, LibraryError, StorageError
from tin_kettle.store.database import Library
from tin_kettle.web import (
    blind,
    chains,
    codec_previews,
    compressor_trials,
    covers,
    deliveries,
    documents,
    findings,
    history,
    live,
    notes,
    openapi,
    prints,
    recipes,
    records,
    references,
    songs,
    sources,
    survey_results,
    trials,
    versions,
)
from tin_kettle.web.cluster import Cluster
from tin_kettle.web.context import Context
from tin_kettle.web.error_text import in_words
from tin_kettle.web.guard import AccessGuard, guard
from tin_kettle.web.inbox import Inbox
from tin_kettle.web.jobs import JobRunner, Jobs
from tin_kettle.web.mastered_files import MasteredFiles
from tin_kettle.web.messages import MOST_MESSAGE_BYTES
from tin_kettle.web.open_files import OpenFiles
from tin_kettle.web.own_process import OwnProcess
from tin_kettle.web.rate_conversion import ConvertedFiles
from tin_kettle.web.request_models import Id, Orjson
from tin_kettle.web.running_jobs import RunningJobs
from tin_kettle.web.running_trials import Trials
from tin_kettle.web.surveys import Surveys
from tin_kettle.web.unsaved_edits import UnsavedEdits

STATIC = Path(__file__).parent / "static"
PING_S = 8
"""A listener that does not answer is noticed by the next ping."""

RESOURCES = (
    songs,
    records,
    covers,
    deliveries,
    documents,
    sources,
    recipes,
    chains,
    history,
    prints,
    survey_results,
    notes,
    findings,
    compressor_trials,
    codec_previews,
    trials,
    versions,
    references,
    blind,
    openapi,
)


def create_app(library: Library, door: AccessGuard | None = None, scheduler: str | None = None) -> Flask:
    """The server for a library; without a door for this machine alone.

    Args:
        scheduler: of a Dask cluster that does the whole-song work; None leaves it to processes of this machine.
    """
    app = Flask(__name__, static_folder=None)
    app.config["SOCK_SERVER_OPTIONS"] = {
        "ping_interval": PING_S,
        "max_message_size": MOST_MESSAGE_BYTES,
        "event_class": Inbox,
    }
    app.json = Orjson(app)
    app.url_map.converters["int"] = Id
    opened, jobs = OpenFiles(), Jobs(_runners(scheduler))
    app.extensions["tin_kettle"] = Context(
        library,
        jobs,
        opened,
        ConvertedFiles(opened),
        Surveys(library, jobs),
        Trials(library, jobs),
        MasteredFiles(library, jobs),
        UnsavedEdits(),
        RunningJobs(),
        RunningJobs(),
    )
    guard(app, door or AccessGuard())
    for module in RESOURCES:
        app.register_blueprint(module.blueprint)
    live.attach(app)
    app.register_error_handler(KettleError, partial(_refused, library))
    app.register_error_handler(OSError, partial(_refused, library))
    app.register_error_handler(HTTPException, _failed)

    @app.get("/")
    @app.get("/songs/<int:song_id>")
    @app.get("/records/<int:record_id>")
    def bench(song_id: int | None = None, record_id: int | None = None) -> Response:
        return send_from_directory(STATIC, "index.html", max_age=0)

    @app.get("/assets/<path:name>")
    def asset(name: str) -> Response:
        # the names carry a hash of the contents
        return send_from_directory(STATIC / "assets", name, max_age=365 * 24 * 3600)

    return app


def _runners(scheduler: str | None) -> dict[str, JobRunner]:
    """Each kind of work has a process of its own, so that none waits for another."""
    cluster = Cluster(scheduler) if scheduler else None
    return {name: cluster or OwnProcess() for name in ("survey", "print", "trial")}


_CODES: tuple[tuple[type[Exception], int], ...] = (
    (Conflict, 409),
    (LibraryError, 404),
    (StorageError, 507),
    (OSError, 507),
    (KettleError, 400),
)


def _refused(library: Library, error: KettleError | OSError) -> tuple[Response, int]:
    code = next(code for kind, code in _CODES if isinstance(error, kind))
    return jsonify(problem=in_words(library, error)), code


def _failed(error: HTTPException) -> tuple[Response, int]:
    return jsonify(problem=error.description or error.name), error.code or 500
