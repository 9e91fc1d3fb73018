"""The manual page of all stages, from their declarations. ``python -m tin_kettle.core.recipe.manual`` prints it."""

from __future__ import annotations

import sys
from typing import Any

from tin_kettle.core.recipe.describe import describe_kinds, describe_shared

_HEAD = """# Stages

Every stage and every control, from the declarations in the code (`make types` writes this page). Each stage may be
switched off, mixed with its aligned input, and treat stereo, mid, side, left or right where nothing else is said.
"""


def manual() -> str:
    """The page as Markdown."""
    parts = [_HEAD]
    for kind in describe_kinds():
        parts.append(f"## {kind['title']} (`{kind['kind']}`)\n\n{kind['says']}\n")
        if len(kind["channels"]) == 1:
            parts.append("Always stereo" + (".\n" if kind["mixes"] else ", always whole.\n"))
        parts.append(_table(kind["params"]))
        for items in kind["items"].values():
            parts.append(f"### {items['title']} of the {kind['title'].lower()}\n\n" + _table(items["params"]))
    parts.append("## A branch of a split\n\n" + _table(describe_shared()["branch"]))
    return "\n".join(parts)


def _table(params: list[dict[str, Any]]) -> str:
    rows = ["| control | parameter | range (default) | what it does |", "|---|---|---|---|"]
    rows += [f"| {p['label']} | `{p['name']}` | {_range(p)} | {p['says']} |" for p in params]
    return "\n".join(rows) + "\n"


def _range(param: dict[str, Any]) -> str:
    unit = f" {param['unit']}" if param["unit"] else ""
    if param["type"] == "number":
        return f"{param['low']:g} to {param['high']:g}{unit} ({param['default']:g})"
    if param["type"] == "choice":
        return " · ".join(str(choice) for choice in param["choices"]) + f"{unit} ({param['default']})"
    if param["type"] == "boolean":
        return "on · off (on)" if param["default"] else "on · off (off)"
    if param["type"] == "numbers":
        return f"a list of {param['low']:g} to {param['high']:g}{unit}"
    return "a list"


if __name__ == "__main__":
    sys.stdout.write(manual())
