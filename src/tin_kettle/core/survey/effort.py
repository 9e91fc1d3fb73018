"""What a dynamic stage does over a song, in words: how much, where, how often."""

from __future__ import annotations

import re
from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from tin_kettle.core.engine.graph.meters import METER_HOP
from tin_kettle.core.recipe.model import Section
from tin_kettle.core.stages.number_text import db
from tin_kettle.core.stages.stage import Stage
from tin_kettle.core.survey.survey import Survey

IDLE_DB = 0.1
"""Less than this is not heard as work."""
ALWAYS = 0.95
"""From this share of the time on, how often need not be said."""
HEARD_DB, APART_S = 0.5, 0.25
"""A part does something where it turns by more than this; pauses shorter than this are none."""
OFTEN, MOSTLY = 0.4, 0.6
"""From this share of the time on, times are not counted; from this share of the times on, a section is named."""
MOST_PARTS = 2
MARKED, MARKED_DB = 1.5, 0.3
"""A part of the song is named where the stage works that much harder there than elsewhere, as a ratio and by dB."""


def effort_words(effort_db: NDArray[np.float64]) -> str:
    """``mostly 1–2.1 dB, 3.4 dB max``: the middle half of the time that it works, and the strongest; what it adds too.

    Args:
        effort_db: (readings,) gains: below 0 it turns down, above 0 up.
    """
    said = [
        f"{how}{_amounts(working, effort_db.size)}"
        for how, working in (("", -effort_db[effort_db < -IDLE_DB]), ("adds ", effort_db[effort_db > IDLE_DB]))
        if working.size
    ]
    return "; ".join(said) or "no effect yet"


def _amounts(working_db: NDArray[np.float64], readings: int) -> str:
    share = working_db.size / readings
    often = f", {100 * share:.0f} % of the time" if share < ALWAYS else ""
    return f"mostly {_span(working_db)}{often}, {_figure(working_db.max())} dB max"


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
    return f"{_span(-effort_db[inside])} off in the {where}, {_figure(-effort_db.min())} dB max"


def stage_words(found: Survey, stage: Stage, sections: Sequence[Section]) -> str:
    """What a stage does over the song; of one with parts what the two that do most do, each where it works."""
    words, told = _works(found, stage, sections), stage.declared.told
    return f"{words} · {told(found.curves[stage.id])}" if told and stage.id in found.curves else words


def _works(found: Survey, stage: Stage, sections: Sequence[Section]) -> str:
    parts = []
    for name, items in stage.declared.items.items():
        if items.place is None:
            continue
        for index, item in enumerate(getattr(stage.params, name)):
            effort_db = found.stages.get(stage.id, {}).get(f"effort_{item.id}")
            if effort_db is not None and np.abs(effort_db).max() > HEARD_DB:
                words = part_words(effort_db.astype(np.float64), items.place(stage.params, index), found, sections)
                parts.append((float(np.abs(effort_db).mean()), words))
    if not parts:
        return song_words(found, stage.id, sections)
    parts.sort(key=lambda part: -part[0])
    return "; ".join(words for _, words in parts[:MOST_PARTS])


def part_words(effort_db: NDArray[np.float64], place: str, found: Survey, sections: Sequence[Section]) -> str:
    """``2–4 dB off around 6.8 kHz, 34 times, mostly in the choruses``."""
    works = np.abs(effort_db) > HEARD_DB
    turn = "off" if effort_db[np.argmax(np.abs(effort_db))] < 0 else "more"
    words = f"{_span(np.abs(effort_db[works]))} {turn} {place}"
    share = float(works.mean())
    if share > ALWAYS:
        return f"{words}, all the time"
    gap = max(1, round(APART_S * found.rate_hz / METER_HOP))
    at = np.flatnonzero(works)
    begins = at[np.flatnonzero(np.diff(at, prepend=-gap - 1) > gap)]
    often = f"{begins.size} times" if begins.size > 1 else "once"
    if share > OFTEN:
        often = f"{100 * share:.0f} % of the time"
    where = _mostly(begins * METER_HOP / found.rate_hz, found, sections)
    return f"{words}, {often}{where}"


def _mostly(times_s: NDArray[np.float64], found: Survey, sections: Sequence[Section]) -> str:
    """The kind of section that most of it is in, where that is no matter of its length."""
    spans: dict[str, list[Section]] = {}
    for section in sections:
        spans.setdefault(_kind(section.name), []).append(section)
    for name, members in spans.items():
        there = np.any([(one.start_s <= times_s) & (times_s < one.end_s) for one in members], axis=0)
        length = sum(one.end_s - one.start_s for one in members) / found.seconds
        if name and there.mean() > MOSTLY and there.mean() > 1.4 * length:
            return f", mostly in the {_plural(name, len(members))}"
    return ""


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
