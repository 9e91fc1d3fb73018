"""What the server answers, described in OpenAPI 3.1: made from the routes and from what their views say they take."""

from __future__ import annotations

import re
from importlib.metadata import version
from typing import Any

from flask import Blueprint, Flask, Response, current_app, jsonify
from pydantic import BaseModel
from pydantic.json_schema import models_json_schema
from werkzeug.routing import Rule

from tin_kettle.web.request_models import ARGUMENTS, FARTHEST, Id

blueprint = Blueprint("description", __name__, url_prefix="/api")

REFUSED = {
    "description": "Refused: what was wrong, what is allowed, and what to do, in words.",
    "content": {
        "application/json": {
            "schema": {"type": "object", "properties": {"problem": {"type": "string"}}, "required": ["problem"]}
        }
    },
}


@blueprint.get("/openapi.json")
def openapi() -> Response:
    """This description."""
    return jsonify(describe_server(current_app))


def describe_server(app: Flask) -> dict[str, Any]:
    """Every address under ``/api`` but the live sockets, with what it takes in the address and as a body."""
    rules = [rule for rule in app.url_map.iter_rules() if rule.rule.startswith("/api") and not rule.websocket]
    taken = {rule.endpoint: getattr(app.view_functions[rule.endpoint], "takes", None) for rule in rules}
    models = {model for model in taken.values() if isinstance(model, type) and issubclass(model, BaseModel)}
    named, defined = models_json_schema(
        [(model, "validation") for model in sorted(models, key=lambda model: f"{model.__module__}.{model.__name__}")],
        ref_template="#/components/schemas/{model}",
    )
    paths: dict[str, dict[str, Any]] = {}
    for rule in rules:
        body = taken[rule.endpoint]
        schema = named[body, "validation"] if body in models else {"type": "object"}
        for method in sorted((rule.methods or set()) - {"HEAD", "OPTIONS"}):
            paths.setdefault(_path(rule), {})[method.lower()] = _operation(app, rule, body, schema)
    return {
        "openapi": "3.1.0",
        "info": {
            "title": "Tin Kettle",
            "version": version("tin-kettle"),
            "description": "What the bench asks of its server. Sound and meters come by the live sockets beside it.",
        },
        "paths": paths,
        "components": {"schemas": defined.get("$defs", {})},
    }


def _path(rule: Rule) -> str:
    return re.sub(r"<(?:\w+:)?(\w+)>", r"{\1}", rule.rule)


def _operation(app: Flask, rule: Rule, body: type | None, schema: dict[str, Any]) -> dict[str, Any]:
    view = app.view_functions[rule.endpoint]
    said = " ".join((view.__doc__ or "").split("\n\n")[0].split())
    operation: dict[str, Any] = {
        "operationId": rule.endpoint,
        "tags": [rule.endpoint.split(".")[0]],
        "summary": re.sub(r":\w+:`(?:\w+\.)*(\w+)`", r"\1", said) or rule.endpoint.split(".")[-1].replace("_", " "),
        "parameters": [
            *({"name": name, "in": "path", "required": True, "schema": _part(rule, name)} for name in _names(rule)),
            *(
                {"name": name, "in": "query", "schema": {"type": told["type"]}, "description": told["description"]}
                for name in getattr(view, "reads", ())
                for told in (ARGUMENTS[name],)
            ),
        ],
        "responses": {"200": {"description": "Done."}, "4XX": REFUSED, "507": REFUSED},
    }
    if body is bytes:
        operation["requestBody"] = {
            "content": {"application/octet-stream": {"schema": {"type": "string", "format": "binary"}}}
        }
    elif body is not None:
        operation["requestBody"] = {"required": True, "content": {"application/json": {"schema": schema}}}
    return operation


def _names(rule: Rule) -> list[str]:
    return re.findall(r"<(?:\w+:)?(\w+)>", rule.rule)


def _part(rule: Rule, name: str) -> dict[str, Any]:
    if isinstance(rule._converters[name], Id):
        return {"type": "integer", "minimum": 0, "maximum": FARTHEST}
    return {"type": "string", "minLength": 1}
