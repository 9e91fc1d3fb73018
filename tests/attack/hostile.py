"""Values that nobody sensible sends, and documents with one of them somewhere."""

from __future__ import annotations

import copy
from typing import Any

import numpy as np

DEEP: Any = []
for _ in range(200):
    DEEP = [DEEP]
VALUES: tuple[Any, ...] = (
    None, True, -1, 0, 1e308, -1e308, 10**39, 10**13, 2**63, 2**53, "", "x" * 5000, "../../etc/passwd", "\x00",
    "<script>alert(1)</script>", [], [None], {}, {"id": "x"}, [[1, 2], [3]], DEEP, "1", 1.5, "mix", [1] * 3000,
)  # fmt: skip


def places(document: Any, path: tuple[Any, ...] = ()) -> list[tuple[Any, ...]]:
    """Where something could be put."""
    found = [path] if path else []
    if isinstance(document, dict):
        for key, value in document.items():
            found += places(value, (*path, key))
    elif isinstance(document, list):
        for index, value in enumerate(document):
            found += places(value, (*path, index))
    return found


def spoiled(rng: np.random.Generator, document: Any) -> Any:
    """The document with one to three values replaced, removed, doubled or renamed."""
    made = copy.deepcopy(document)
    for _ in range(rng.integers(1, 4)):
        where = places(made)
        if not where:
            return made
        *road, last = where[rng.integers(len(where))]
        owner = made
        for step in road:
            owner = owner[step]
        deed = rng.integers(5)
        if deed < 3:
            owner[last] = copy.deepcopy(VALUES[rng.integers(len(VALUES))])
        elif deed == 3 and isinstance(owner, dict):
            owner[f"{last}x"] = owner.pop(last)
        elif isinstance(owner, list):
            owner.append(copy.deepcopy(owner[last]))
        else:
            del owner[last]
    return made
