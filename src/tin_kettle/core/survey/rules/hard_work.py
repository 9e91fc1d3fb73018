"""Stages that work so hard for so long that the answer may lie in the mix."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from tin_kettle.core.engine.graph.meters import METER_HOP
from tin_kettle.core.recipe.model import Recipe
from tin_kettle.core.stages.number_text import db
from tin_kettle.core.survey.finding import Finding
from tin_kettle.core.survey.survey import Survey


def works_hard(now: Survey, recipe: Recipe) -> Iterator[Finding]:
    """Stages beyond what they are for, for long."""
    efforts = now.efforts()
    for stage in recipe.stages():
        ease = stage.declared.ease
        if ease is None or not stage.on or stage.id not in efforts:
            continue
        effort = efforts[stage.id]
        share = float(np.mean(effort < -ease.limit_db))
        if share < ease.share:
            continue
        at = int(np.argmin(effort))
        title, most = stage.declared.title, db(-float(effort[at]), signed=False)
        yield Finding(
            f"hard-{stage.id}",
            f"{title.lower()} reduces by {most}",
            f"The {title.lower()} reduces gain by more than {db(ease.limit_db, signed=False)} for {share:.0%} of the "
            f"song, by {most} at the maximum. Consider a change in the mix instead.",
            round(share, 4),
            "share of the time",
            ease.share,
            at_s=round(at * METER_HOP / now.rate_hz, 2),
            fix=ease.words,
            stage={"id": stage.id, "params": ease.params(stage.params)},
        )
