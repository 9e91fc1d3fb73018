"""Tin Kettle: the mastering engineer's bench in a browser, and its audio as a library.

``tin_kettle.render``, ``render_to``, ``measure``, ``survey`` and ``response`` work on arrays and on files; what they
load is loaded when the first of them is used.
"""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

__version__ = "0.2.0"
__all__ = ["__version__", "measure", "render", "render_to", "response", "survey"]

if TYPE_CHECKING:
    from tin_kettle.library import measure, render, render_to, response, survey


def __getattr__(name: str) -> Any:
    if name in __all__:
        from tin_kettle import library  # noqa: PLC0415  commands start faster without it

        return getattr(library, name)
    raise AttributeError(f"module {__name__!r} has no attribute {name!r}")
