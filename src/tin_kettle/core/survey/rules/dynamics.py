"""Dynamics by frequency that do not do what they are for."""

from __future__ import annotations

from collections.abc import Iterator
from itertools import combinations

import numpy as np

from tin_kettle.core.recipe.model import Recipe
from tin_kettle.core.stages.number_text import db, hz
from tin_kettle.core.stages.stage import Stage
from tin_kettle.core.survey.finding import Finding
from tin_kettle.core.survey.survey import Survey

RESTLESS_TIME, RESTLESS_DB = 0.95, 1.0
"""What is at work for so much of the song, and moves within so little, is a gain and no dynamics."""
VOICE_HZ = (250.0, 2500.0)
"""The body of a voice; bands that work on either side of a corner there pull it apart."""
ALIKE, LEAST_DB = 0.85, 0.3
"""Two stages whose gains go together so closely, and that both do something, do the same."""


def moves_badly(now: Survey, recipe: Recipe) -> Iterator[Finding]:
    """Parts that never rest, corners in the voice, stages that do the same twice."""
    for stage in recipe.stages():
        if stage.on and stage.id in now.stages:
            yield from _never_rests(now, stage)
            yield from _in_the_voice(now, stage)
    yield from _twice(now, recipe)


def _never_rests(now: Survey, stage: Stage) -> Iterator[Finding]:
    for name, items in stage.declared.items.items():
        for index, item in enumerate(getattr(stage.params, name)):
            effort = now.stages[stage.id].get(f"effort_{getattr(item, 'id', '')}")
            if effort is None or items.place is None:
                continue
            share = float(np.mean(np.abs(effort) > 0.5))
            low, middle, high = np.percentile(effort, [10, 50, 90])
            if share < RESTLESS_TIME or high - low > RESTLESS_DB:
                continue
            place = items.place(stage.params, index)
            yield Finding(
                f"restless-{stage.id}-{item.id}",
                f"{items.title.lower()} {place} always works",
                f"It holds {db(float(middle))} {place} for {share:.0%} of the song and varies by "
                f"{db(float(high - low), signed=False)} only. A static gain does the same and leaves transients alone.",
                round(share, 4),
                "share of the time",
                RESTLESS_TIME,
            )


def _in_the_voice(now: Survey, stage: Stage) -> Iterator[Finding]:
    corners = getattr(stage.params, "crossovers_hz", ())
    bands = getattr(stage.params, "bands", ())
    if len(bands) != len(corners) + 1:
        return
    for index, corner in enumerate(corners):
        efforts = [now.stages[stage.id].get(f"effort_{band.id}") for band in bands[index : index + 2]]
        if not VOICE_HZ[0] < corner < VOICE_HZ[1] or any(effort is None for effort in efforts):
            continue
        apart_db = float(np.percentile(np.abs(efforts[0] - efforts[1]), 90))  # type: ignore[operator]
        if apart_db < 1.5:
            continue
        nearest = min(VOICE_HZ, key=lambda edge: abs(np.log2(edge / corner)))
        free = all(abs(np.log2(nearest / other)) > 0.34 for i, other in enumerate(corners) if i != index)
        moved = tuple(nearest if i == index else other for i, other in enumerate(corners))
        fix = free and list(moved) == sorted(moved)
        yield Finding(
            f"voice-{stage.id}-{index}",
            f"crossover at {hz(corner)} in the vocal range",
            f"The bands beside {hz(corner)} move up to {db(apart_db, signed=False)} apart: a voice, which lies on both "
            "sides of it, changes colour with every word.",
            round(apart_db, 2),
            "dB",
            1.5,
            fix=f"crossover to {hz(nearest)}" if fix else None,
            stage={"id": stage.id, "params": {"crossovers_hz": moved}} if fix else None,
        )


def _twice(now: Survey, recipe: Recipe) -> Iterator[Finding]:
    chains: dict[tuple[str, str, str], list[Stage]] = {}
    for place in recipe.walk():
        stage = place.stage
        if stage.on and stage.declared.dynamic and "effort_db" in now.stages.get(stage.id, {}):
            owner = place.owner.id if place.owner else ""
            chains.setdefault((owner, stage.kind, stage.channels), []).append(stage)
    for alike in chains.values():
        for first, second in combinations(alike, 2):
            a, b = (now.stages[one.id]["effort_db"].astype(np.float64) for one in (first, second))
            if min(np.abs(a).mean(), np.abs(b).mean()) < LEAST_DB or min(a.std(), b.std()) < 0.1:
                continue
            together = float(np.corrcoef(a, b)[0, 1])
            if together > ALIKE:
                title = first.declared.title.lower()
                yield Finding(
                    f"twice-{first.id}-{second.id}",
                    f"two stages work alike ({title})",
                    f"Their gains go together by {together:.2f}, {db(float(a.mean()))} and {db(float(b.mean()))} on "
                    "average: one that does both is easier to set, or each wants a task of its own.",
                    round(together, 3),
                    "correlation",
                    ALIKE,
                )
