"""Text in tables that other programs open."""

from __future__ import annotations


def plain_cell(text: str) -> str:
    """A cell that no table program takes for a formula."""
    return f"'{text}" if text.startswith(("=", "+", "-", "@", "\t")) else text
