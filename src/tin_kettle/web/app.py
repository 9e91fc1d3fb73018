"""Building the server."""

from __future__ import annotations

from pathlib import Path

from flask import Flask, Response, jsonify, send_from_directory
from werkzeug.exceptions import HTTPException

from tin_kettle.core.errors import Conflict, KettleError, LibraryError
from tin_kettle.store.database import Library
from tin_kettle.store.prints import stop_orphans
from tin_kettle.web import (
    blind,
    chains,
    compressing,
    findings,
    history,
    live,
    measured,
    prints,
    recipes,
    references,
    songs,
    sources,
    versions,
)
from tin_kettle.web.context import Context
from tin_kettle.web.converting import Converted
from tin_kettle.web.guard import guard
from tin_kettle.web.jobs import Jobs
from tin_kettle.web.surveys import Surveys

STATIC = Path(__file__).parent / "static"

RESOURCES = (
    songs,
    sources,
    recipes,
    chains,
    history,
    prints,
    measured,
    findings,
    compressing,
    versions,
    references,
    blind,
)


def create_app(library: Library, access_key: str | None = None) -> Flask:
    """The server for a library.

    Args:
        access_key: what every visitor has to bring; None where only this machine can reach the server.
    """
    app = Flask(__name__, static_folder=None)
    app.config["SOCK_SERVER_OPTIONS"] = {"ping_interval": 10}
    # buses come in the order of the recipe
    app.json.sort_keys = False  # type: ignore[attr-defined]
    stop_orphans(library)
    app.extensions["tin_kettle"] = Context(library, Jobs(), Converted(), Surveys(), {})
    guard(app, access_key)
    for module in RESOURCES:
        app.register_blueprint(module.blueprint)
    live.attach(app)
    app.register_error_handler(KettleError, _refused)
    app.register_error_handler(HTTPException, _failed)

    @app.get("/")
    @app.get("/songs/<int:song_id>")
    def bench(song_id: int | None = None) -> Response:
        return send_from_directory(STATIC, "index.html", max_age=0)

    @app.get("/assets/<path:name>")
    def asset(name: str) -> Response:
        # the names carry a hash of the contents
        return send_from_directory(STATIC / "assets", name, max_age=365 * 24 * 3600)

    return app


def _refused(error: KettleError) -> tuple[Response, int]:
    code = 409 if isinstance(error, Conflict) else 404 if isinstance(error, LibraryError) else 400
    return jsonify(problem=str(error)), code


def _failed(error: HTTPException) -> tuple[Response, int]:
    return jsonify(problem=error.description or error.name), error.code or 500
