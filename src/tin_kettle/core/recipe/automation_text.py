"""Rides in words: from where to where a value goes, and how it is told when."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from tin_kettle.core.recipe.automation import AutomatedParameter, Value, automation_of
from tin_kettle.core.recipe.automation_curves import ValueCurve
from tin_kettle.core.recipe.model import Recipe, Section
from tin_kettle.core.stages.number_text import MINUS, bare, db, hz, ms

SHORTEST_S = 0.05
"""What lasts no longer is on the way from one value to the next."""


def value_words(value: Value, about: Mapping[str, Any], unit: bool = True) -> str:
    """A parameter's value as one would say it; without its unit where another one follows."""
    if isinstance(value, bool):
        return "on" if value else "off"
    if isinstance(value, str):
        return value.replace("_", " ")
    if about["unit"] == "Hz":
        return hz(value)
    if about["unit"] == "ms":
        return ms(value)
    if about["unit"] == "dB":
        text = db(value, signed=about["low"] < 0 < about["high"])
        return text if unit else text.removesuffix(" dB")
    if not about["unit"] and about["low"] == 0 and about["high"] in (1, 2):
        return f"{100 * value:.3g}{' %' if unit else ''}"
    return bare(value).replace("-", MINUS) + (f" {about['unit']}" if about["unit"] and unit else "")


def ride_words(moved: AutomatedParameter, sections: Sequence[Section]) -> str:
    """``9 to 25 % by section``, ``off in Chorus``."""
    course = ValueCurve(moved)
    ends = course.extremes()
    how = "by section" if moved.by_section else f"over {len(moved.points)} points"
    if ends is None:
        if moved.by_section and moved.about["type"] == "boolean":
            return _switched(course, sections)
        return f"switched {how}"
    if ends[0] == ends[1]:
        return value_words(ends[0], moved.about)
    return f"{value_words(ends[0], moved.about, unit=False)} to {value_words(ends[1], moved.about)} {how}"


def _switched(course: ValueCurve, sections: Sequence[Section]) -> str:
    """In which sections a switch is the other way."""
    there = {True: [], False: []}  # type: dict[bool, list[str]]
    for section in sections:
        there[bool(course.at(section.start_s + SHORTEST_S))].append(section.name or section.id)
    fewer = len(there[True]) <= len(there[False]) and bool(there[True])
    names = list(dict.fromkeys(there[fewer]))
    return f"{'on' if fewer else 'off'} in {', '.join(names)}" if names else "on" if there[True] else "off"


def rides_in_words(recipe: Recipe) -> dict[str, str]:
    """Id of what is ridden → its rides."""
    told: dict[str, list[str]] = {}
    for moved in automation_of(recipe).curves:
        # a stage that is off needs no name for that
        name = "" if moved.param == "on" else f"{moved.about['label'].lower()} "
        told.setdefault(moved.target, []).append(name + ride_words(moved, recipe.sections))
    return {target: " · ".join(words) for target, words in told.items()}
