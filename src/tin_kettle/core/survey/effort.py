"""What a dynamic stage does over a song, in words: how much, where, how often."""

from __future__ import annotations

import re
from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from tin_kettle.core.engine.graph.reading import METER_HOP
from tin_kettle.core.recipe.model import Section
from tin_kettle.core.stages.words import db
from tin_kettle.core.survey.survey import Survey

IDLE_DB = 0.1
"""Less than this is not heard as work."""
ALWAYS = 0.95
"""From this share of the time on, how often need not be said."""
MARKED, MARKED_DB = 1.5, 0.3
"""A part of the song is named where the stage works that much harder there than elsewhere, as a ratio and by dB."""


def effort_words(effort_db: NDArray[np.float64]) -> str:
    """``mostly 1–2.1 dB, 3.4 dB at most``: the middle half of the time that it works, and the strongest.

    Args:
        effort_db: (readings,), at most 0.
    """
    working = -effort_db[effort_db < -IDLE_DB]
    if not working.size:
        return "takes nothing off"
    share = working.size / effort_db.size
    often = f", {100 * share:.0f} % of the time" if share < ALWAYS else ""
    return f"mostly {_span(working)}{often}, {_figure(working.max())} dB at most"


def song_words(found: Survey, stage_id: str, sections: Sequence[Section]) -> str:
    """The same over the song; ``1–2.1 dB off in the choruses`` where it works markedly harder in some sections."""
    effort_db = found.effort_db(stage_id, 0, found.frames)
    at_s = np.arange(effort_db.size) * METER_HOP / found.rate_hz
    parts: dict[str, list[Section]] = {}
    for section in sections:
        parts.setdefault(_kind(section.name), []).append(section)
    best, where = 0.0, ""
    inside = np.zeros(effort_db.size, dtype=bool)
    for name, members in parts.items():
        there = np.any([(member.start_s <= at_s) & (at_s < member.end_s) for member in members], axis=0)
        if there.all() or not there.any():
            continue
        harder, elsewhere = -np.median(effort_db[there]), -np.median(effort_db[~there])
        if harder >= max(MARKED * elsewhere, elsewhere + MARKED_DB, IDLE_DB) and harder > best:
            best, where, inside = harder, _plural(name, len(members)), there
    if not where:
        return effort_words(effort_db)
    return f"{_span(-effort_db[inside])} off in the {where}, {_figure(-effort_db.min())} dB at most"


def _figure(value_db: float) -> str:
    return db(value_db, signed=False).removesuffix(" dB")


def _span(working_db: NDArray[np.float64]) -> str:
    low, high = (_figure(value) for value in np.percentile(working_db, [25, 75]))
    return f"{high} dB" if low == high else f"{low}–{high} dB"


def _kind(name: str) -> str:
    """Sections of one kind share a name but for a number: Verse, Verse 2."""
    return re.sub(r"\s*\d+$", "", name).strip().lower()


def _plural(name: str, count: int) -> str:
    if count == 1 or not name:
        return name
    return f"{name}es" if name.endswith("s") else f"{name}s"
