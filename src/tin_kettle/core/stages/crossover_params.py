"""Crossovers as parameters: rising, and one fewer than parts."""

from __future__ import annotations

from typing import Annotated, Any

from pydantic import Field

LOWEST_HZ, HIGHEST_HZ = 20.0, 20000.0
Corner = Annotated[float, Field(ge=LOWEST_HZ, le=HIGHEST_HZ)]


def crossovers(says: str, default: tuple[float, ...] = (), least: int = 0) -> Any:
    """The crossovers of a stage, up to four."""
    about: dict[str, Any] = {"label": "Crossovers", "says": says, "unit": "Hz", "scale": "log"}
    return Field(default=default, min_length=least, max_length=4, strict=False, json_schema_extra=about)


def corners_problem(corners_hz: tuple[float, ...], wanted: int, parts: str) -> tuple[str, str] | None:
    """Where and what is wrong with the corners of such parts, which need so many; None where nothing is."""
    if len(corners_hz) != wanted:
        return ".crossovers_hz", f"has {len(corners_hz)} crossovers; {parts} need {wanted}"
    for i in range(1, len(corners_hz)):
        if corners_hz[i] <= corners_hz[i - 1]:
            low, high = corners_hz[i - 1 : i + 1]
            return f".crossovers_hz[{i}]", f"{high:g} Hz is not above {low:g} Hz; let them rise"
    return None
