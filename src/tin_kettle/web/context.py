"""What the blueprints share."""

from __future__ import annotations

from collections.abc import Mapping
from contextlib import ExitStack
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

from flask import current_app, request

from tin_kettle.core.engine.source import FileSource
from tin_kettle.core.errors import LibraryError
from tin_kettle.store.database import Library
from tin_kettle.store.sources import KeptSource, song_sources, source_path
from tin_kettle.web.converting import Converted
from tin_kettle.web.jobs import Job, Jobs

if TYPE_CHECKING:
    from tin_kettle.web.surveys import Surveys

FAR = 1 << 40


@dataclass(frozen=True)
class Context:
    """The library, the processes that do whole-song work, and what is under way.

    Args:
        converted: sources at other rates.
        surveys: what songs sound like, as far as it is known.
        printing: prints under way by their numbers.
    """

    library: Library
    jobs: Jobs
    converted: Converted
    surveys: Surveys
    printing: dict[int, Job]


def context() -> Context:
    """Of the present request's app."""
    found = current_app.extensions["tin_kettle"]
    assert isinstance(found, Context)
    return found


def body() -> dict[str, Any]:
    """The JSON object of the present request.

    Raises:
        LibraryError: there is none.
    """
    found = request.get_json(silent=True)
    if not isinstance(found, dict):
        raise LibraryError("the request holds no JSON object; reload the bench")
    return found


def int_argument(name: str, default: int) -> int:
    """A whole number of the present request's address."""
    return request.args.get(name, default, type=int)


def open_sources(library: Library, kept: Mapping[str, KeptSource]) -> dict[str, FileSource]:
    """Bus id → open file; the caller closes them."""
    return {bus_id: FileSource(source_path(library, source)) for bus_id, source in kept.items()}


def opened_sources(song_id: int, stack: ExitStack) -> dict[str, FileSource]:
    """Bus id → open file of a song; they close with the stack."""
    library = context().library
    sources = open_sources(library, song_sources(library, song_id))
    for source in sources.values():
        stack.callback(source.close)
    return sources


def passage(frames: int) -> tuple[int, int]:
    """Frames ``?from=`` … ``?to=`` of the present request's address, inside a song of so many."""
    start = min(max(int_argument("from", 0), 0), frames - 1)
    return start, max(start + 1, min(int_argument("to", FAR), frames))
