"""Text in tables that other programs open."""

from __future__ import annotations

import unicodedata

FORMULA_SIGNS = ("=", "+", "-", "@")


def plain_cell(text: str) -> str:
    """A cell that no table program takes for a formula, whatever stands before its first sign or how wide that is."""
    begins = unicodedata.normalize("NFKC", text.lstrip("\t\r\n \u00a0\u200b\ufeff"))
    return f"'{text}" if begins.startswith(FORMULA_SIGNS) or text.startswith(("\t", "\r")) else text
