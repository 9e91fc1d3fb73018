"""A survey as one document of plain values: figures before and after, every stage's effort, findings."""

from __future__ import annotations

from typing import Any

import numpy as np

from tin_kettle.core.engine.graph.meters import METER_HOP
from tin_kettle.core.recipe.model import Recipe
from tin_kettle.core.stages.stage import Stage
from tin_kettle.core.survey.before_after import describe_passage
from tin_kettle.core.survey.change_map import change_of
from tin_kettle.core.survey.effort import stage_words
from tin_kettle.core.survey.findings import find
from tin_kettle.core.survey.survey import Survey, columns

POINTS_PER_S = 10


def report(recipe: Recipe, now: Survey, received: Survey) -> dict[str, Any]:
    """``before``, ``after``, ``stages`` by id, ``change`` in time and frequency, ``findings``."""
    return {
        "before": {**received.measures, **_figures(received)},
        "after": {**now.measures, **_figures(now)},
        "stages": {stage.id: _effort(now, stage, recipe) for stage in recipe.stages()},
        "change": change_of(recipe, now, received),
        "findings": [finding.document() for finding in find(now, received, recipe)],
    }


def _figures(found: Survey) -> dict[str, Any]:
    passage = describe_passage(found, 0, found.frames)
    return {name: passage[name] for name in ("low_correlation", "ranges", "hz", "average_db", "maximum_db")}


def _effort(found: Survey, stage: Stage, recipe: Recipe) -> dict[str, Any]:
    count = max(1, round(found.seconds * POINTS_PER_S))
    effort = found.effort_db(stage.id, 0, found.frames)
    hardest_db, at_s = found.hardest(stage.id)
    return {
        "effort_db": columns(effort, METER_HOP, 0, found.frames, count, np.minimum).round(2).tolist(),
        "points_per_s": POINTS_PER_S,
        "mean_db": round(float(np.mean(effort)), 3),
        "hardest_db": round(hardest_db, 3),
        "hardest_at_s": round(at_s, 3),
        "says": stage_words(found, stage, recipe.sections),
    }
