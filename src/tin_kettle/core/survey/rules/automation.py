"""Values that move so suddenly that they are heard as a jump."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from tin_kettle.core.recipe.automation import automation_of
from tin_kettle.core.recipe.automation_curves import ValueCurve
from tin_kettle.core.recipe.model import Recipe
from tin_kettle.core.recipe.names import names
from tin_kettle.core.stages.number_text import db
from tin_kettle.core.survey.beats import find_grid
from tin_kettle.core.survey.finding import Finding
from tin_kettle.core.survey.survey import Survey

MOST_DB = 6.0
FREE_BEAT_S = 0.5
"""A beat of a song that keeps no tempo."""
STEP_S = 0.01


def rides_jump(received: Survey, recipe: Recipe) -> Iterator[Finding]:
    """Rides of a level that change by more within a beat than a hand would."""
    ridden = [moved for moved in automation_of(recipe).curves if moved.about["unit"] == "dB" and moved.is_number]
    if not ridden:
        return
    grid = find_grid(received)
    beat_s = grid.beat_s if grid else FREE_BEAT_S
    for moved in ridden:
        course = ValueCurve(moved)
        begin, end = moved.points[0][0] - beat_s, min(moved.points[-1][0] + beat_s, received.seconds)
        levels = np.array([float(course.at(s)) for s in np.arange(begin, end, STEP_S)])
        if levels.size == 0:
            continue
        from scipy.ndimage import maximum_filter1d, minimum_filter1d  # noqa: PLC0415  loads when something moves

        reach = max(1, round(beat_s / STEP_S))
        jumps = maximum_filter1d(levels, reach) - minimum_filter1d(levels, reach)
        most, at = float(jumps.max()), int(jumps.argmax())
        if most <= MOST_DB:
            continue
        title = f"{names(recipe)[moved.target]} {moved.about['label'].lower()}"
        yield Finding(
            f"ride-{moved.target}-{moved.param}",
            f"{title} jumps by {db(most, signed=False)}",
            f"The automation of {title} changes by {db(most, signed=False)} within a beat: an audible jump. "
            "Use a longer ramp or begin it a bar earlier.",
            round(most, 2),
            "dB within a beat",
            MOST_DB,
            at_s=round(max(0.0, begin + at * STEP_S), 2),
        )
