"""How large a document may be: looked at before anything else is, in time that does not grow with what is refused."""

from __future__ import annotations

from collections.abc import Iterable

from tin_kettle.core.errors import RecipeError
from tin_kettle.core.recipe.model import Bus, Owner
from tin_kettle.core.stages.stage import Stage

DEEPEST_NESTING = 64
MOST_NODES = 2000
"""Buses, groups, stages and branches of one document together."""
MOST_DIGITS = 40


def check_size(document: object) -> None:
    """Refuse a decoded JSON document that no song needs.

    Raises:
        RecipeError: it is nested too deep, holds too many parts, or a number of too many digits.
    """
    nodes = 0
    waiting: list[tuple[object, int]] = [(document, 0)]
    while waiting:
        value, depth = waiting.pop()
        if depth > DEEPEST_NESTING:
            raise RecipeError("$", f"is nested deeper than {DEEPEST_NESTING}; at most {DEEPEST_NESTING} is allowed")
        if isinstance(value, Stage | Bus):
            nodes += _nodes_of(value)
        elif isinstance(value, dict):
            nodes += "kind" in value or "chain" in value
            waiting.extend((inner, depth + 1) for inner in value.values())
        elif isinstance(value, list):
            waiting.extend((inner, depth + 1) for inner in value)
        elif isinstance(value, int) and abs(value) >= 10**MOST_DIGITS:
            raise RecipeError("$", f"holds a number of more than {MOST_DIGITS} digits; write it shorter")
        if nodes > MOST_NODES:
            raise RecipeError(
                "$", f"has more than {MOST_NODES} stages, branches, buses and groups; at most {MOST_NODES} are allowed"
            )


def _nodes_of(part: Stage | Owner) -> int:
    """How many a part that was read already holds, itself among them."""
    inside: Iterable[Stage | Owner] = part.branches if isinstance(part, Stage) else part.chain
    return 1 + sum(map(_nodes_of, inside))


def read_int(digits: str) -> int:
    """A whole number as JSON writes it; for ``json.loads``, which would need long for a long one.

    Raises:
        RecipeError: it has too many digits.
    """
    if len(digits) > MOST_DIGITS:
        raise RecipeError("$", f"holds a number of {len(digits)} digits; at most {MOST_DIGITS} are allowed")
    return int(digits)


def read_float(digits: str) -> float:
    """The same for a number with a fraction or an exponent."""
    if len(digits) > MOST_DIGITS:
        raise RecipeError("$", f"holds a number of {len(digits)} digits; at most {MOST_DIGITS} are allowed")
    return float(digits)
