"""Documents that go on from one another: what a hand moves is said as places with their new values."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Annotated, Any

from pydantic import Field

from tin_kettle.core.errors import RecipeError
from tin_kettle.core.recipe.size_limits import DEEPEST_NESTING
from tin_kettle.core.stages.declarations import Params

MOST_CHANGES = 64
"""Of more, a whole document is sent."""
Step = Annotated[str, Field(max_length=200)] | Annotated[int, Field(ge=0)]


class DocumentEdit(Params):
    """A value and its place: names of fields and places in lists, from the whole document inwards."""

    path: Annotated[tuple[Step, ...], Field(max_length=DEEPEST_NESTING, strict=False)]
    value: Any


def patched(document: Any, changes: Sequence[DocumentEdit]) -> Any:
    """The document with every change made; what is untouched is the very same as before.

    Raises:
        RecipeError: a change names a place that is not there.
    """
    for change in changes:
        document = _put(document, change.path, 0, change.value)
    return document


def _put(document: Any, path: tuple[str | int, ...], depth: int, value: Any) -> Any:
    if depth == len(path):
        return value
    step = path[depth]
    if isinstance(document, dict) and step in document:
        return {**document, step: _put(document[step], path, depth + 1, value)}
    if isinstance(document, list) and isinstance(step, int) and step < len(document):
        return [*document[:step], _put(document[step], path, depth + 1, value), *document[step + 1 :]]
    place = "".join(f"[{one}]" if isinstance(one, int) else f".{one}" for one in path[: depth + 1])
    raise RecipeError(f"${place}", "is not there, so that it cannot be changed; reload the bench")
