"""What requests ask: the JSON body as a checked model, whole numbers of the address, the body as it comes in."""

from __future__ import annotations

import functools
import re
from collections.abc import Callable, Iterator
from typing import Annotated, Any, TypeVar

import orjson
from flask import g, request
from flask.json.provider import JSONProvider
from pydantic import BaseModel, ConfigDict, Field, ValidationError
from werkzeug.exceptions import RequestEntityTooLarge
from werkzeug.routing import IntegerConverter

from tin_kettle.core.errors import KettleError

MOST_JSON_BYTES = 4 << 20
CHUNK_BYTES = 1 << 20
FARTHEST = (1 << 53) - 1
"""The largest whole number that JSON carries everywhere, and the largest id or frame that is looked at."""
_SHOWN = 60
_WHOLE = re.compile(r"-?\d+", re.ASCII)

Number = Annotated[int, Field(ge=-FARTHEST, le=FARTHEST)]
"""An id or a frame."""


class RequestModel(BaseModel):
    """A body. What it does not know is refused, so that a misspelled field is told and not passed over."""

    model_config = ConfigDict(strict=True, extra="forbid", frozen=True)


AnyAsked = TypeVar("AnyAsked", bound=BaseModel)
View = TypeVar("View", bound=Callable[..., Any])
ARGUMENTS: dict[str, dict[str, Any]] = {
    "from": {"type": "integer", "description": "The first frame."},
    "to": {"type": "integer", "description": "The frame after the last."},
    "columns": {"type": "integer", "description": "How many columns a picture has."},
    "other": {"type": "string", "description": "What the song is compared with, such as received or version:3."},
    "before": {"type": "string", "description": "What lies before: a version, or the number of an edit."},
    "after": {"type": "string", "description": "What lies after: a version."},
    "format": {"type": "string", "description": "csv for a table."},
    "rate": {"type": "integer", "description": "The rate in Hz."},
    "name": {"type": "string", "description": "The name of the file."},
    "bus": {"type": "string", "description": "One bus alone."},
    "spec": {"type": "string", "description": "The name of a spec of delivery."},
    "part": {"type": "string", "description": "all of a record, or its joins."},
}
"""What an address may tell behind its question mark."""


def takes(model: type[BaseModel], most_bytes: int = MOST_JSON_BYTES) -> Callable[[View], View]:
    """A view is given the JSON body of the request as a checked model, by the name ``given``.

    Raises:
        KettleError: when it is called: the body is no JSON, over ``most_bytes``, or not what the model allows.
    """

    def decorate(view: View) -> View:
        @functools.wraps(view)
        def checked(*path: Any, **more: Any) -> Any:
            return view(*path, given=check(model, document(most_bytes)), **more)

        checked.takes = model  # type: ignore[attr-defined]
        return checked  # type: ignore[return-value]

    return decorate


def takes_bytes(view: View) -> View:
    """A view reads the body of the request as it comes in."""
    view.takes = bytes  # type: ignore[attr-defined]
    return view


def takes_document(view: View) -> View:
    """A view reads a JSON document whose form is told elsewhere, such as a recipe."""
    view.takes = dict  # type: ignore[attr-defined]
    return view


def reads(*names: str) -> Callable[[View], View]:
    """A view reads these arguments of the address, of :data:`ARGUMENTS`, and no others."""

    def decorate(view: View) -> View:
        @functools.wraps(view)
        def reading(*path: Any, **more: Any) -> Any:
            g.reads = names
            return view(*path, **more)

        reading.reads = names  # type: ignore[attr-defined]
        return reading  # type: ignore[return-value]

    return decorate


def arguments(name: str) -> list[str]:
    """All values of an argument of the address, which the view must have named (:func:`reads`)."""
    assert name in g.get("reads", ()), f"a view that reads {name} has to say so"
    return request.args.getlist(name)


def argument(name: str, default: str = "") -> str:
    """The first value of an argument of the address."""
    return next(iter(arguments(name)), default)


def check(model: type[AnyAsked], found: object) -> AnyAsked:
    """A decoded document as a model; the refusal names the field, the value and what is allowed."""
    try:
        return model.model_validate(found)
    except ValidationError as refused:
        first = refused.errors(include_url=False)[0]
        place = ".".join(str(step) for step in first["loc"]) or "the request"
        shown = repr(first["input"])
        shown = shown if len(shown) <= _SHOWN else shown[:_SHOWN] + "…"
        raise KettleError(f"{place}: {shown} is not allowed; {first['msg'].lower()}; reload the bench") from None


def document(most_bytes: int = MOST_JSON_BYTES) -> Any:
    """The decoded JSON body.

    Raises:
        KettleError: it is larger than allowed, cut short, or no JSON.
    """
    found = body(most_bytes)
    try:
        return orjson.loads(found)
    except orjson.JSONDecodeError:
        raise KettleError("the request holds no JSON; reload the bench") from None


def body(most_bytes: int) -> bytes:
    """The whole body.

    Raises:
        KettleError: it is larger than allowed, or cut short.
    """
    try:
        return b"".join(_pieces(most_bytes))
    except RequestEntityTooLarge:
        raise KettleError(f"the request is over {most_bytes} bytes; at most so many are allowed") from None


def _pieces(most_bytes: int) -> Iterator[bytes]:
    left = most_bytes
    if (request.content_length or 0) > most_bytes:
        raise RequestEntityTooLarge
    for chunk in chunks():
        left -= len(chunk)
        if left < 0:
            raise RequestEntityTooLarge
        yield chunk


def chunks() -> Iterator[bytes]:
    """The body of the present request as it comes in.

    Raises:
        KettleError: it ended before its time.
    """
    try:
        while chunk := request.stream.read(CHUNK_BYTES):
            yield chunk
    except OSError:
        raise KettleError("the request was cut short on its way; send it again") from None


def whole_number(name: str, default: int) -> int:
    """A whole number of the present request's address.

    Raises:
        KettleError: it is none.
    """
    given = next(iter(arguments(name)), None)
    if given is None:
        return default
    if len(given) > len(str(FARTHEST)) or not _WHOLE.fullmatch(given):
        raise KettleError(f"{name}={given[:_SHOWN]} is no whole number that can be; reload the bench")
    return int(given)


class Id(IntegerConverter):
    """Ids in addresses; larger ones than the database counts are none."""

    def __init__(self, *args: Any, **more: Any) -> None:
        super().__init__(*args, **{"max": FARTHEST, **more})


class Orjson(JSONProvider):
    """JSON as the standard has it: no NaN, no endless nesting, buses in the order of the recipe."""

    def dumps(self, obj: Any, **_more: Any) -> str:
        return orjson.dumps(obj, option=orjson.OPT_NON_STR_KEYS | orjson.OPT_SERIALIZE_NUMPY).decode()

    def loads(self, s: str | bytes, **_more: Any) -> Any:
        return orjson.loads(s)
