"""Stages that work so hard for so long that the answer may lie in the mix."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from tin_kettle.core.engine.slot import METER_HOP
from tin_kettle.core.recipe.model import Recipe
from tin_kettle.core.stages.words import db
from tin_kettle.core.survey.finding import Finding
from tin_kettle.core.survey.survey import Survey

HARD_DB = {"compressor": 4.0, "limiter": 3.0}
"""What engineers rarely go beyond: 1 to 3 dB with a bus compressor, a few with a limiter."""
HARD_TIME = 0.1
"""A tenth of the song: single loud moments are what these stages are for."""


def works_hard(now: Survey, recipe: Recipe) -> Iterator[Finding]:
    """Compressors and limiters beyond what they are for, for long."""
    for _, chain in recipe.chains():
        for stage in chain:
            limit_db = HARD_DB.get(stage.kind)
            if limit_db is None or not stage.on or stage.id not in now.stages:
                continue
            effort = now.stages[stage.id][2]
            share = float(np.mean(effort < -limit_db))
            if share < HARD_TIME:
                continue
            at = int(np.argmin(effort))
            params = stage.params.model_dump()
            less = {"gain_db": max(0.0, params["gain_db"] - 2.0)} if stage.kind == "limiter" else None
            less = less or {"threshold_db": min(0.0, params["threshold_db"] + 3.0)}
            title = stage.declared.title
            yield Finding(
                f"hard-{stage.id}",
                f"{title.lower()} takes {db(-float(effort[at]), signed=False)}",
                f"{title} takes more than {db(limit_db, signed=False)} for {share:.0%} of the song, "
                f"{db(-float(effort[at]), signed=False)} at most: the honest answer may lie in the mix.",
                round(share, 4),
                "share of the time",
                HARD_TIME,
                at_s=round(at * METER_HOP / now.rate_hz, 2),
                fix="gain down by 2 dB" if stage.kind == "limiter" else "threshold up by 3 dB",
                stage={"id": stage.id, "params": less},
            )
