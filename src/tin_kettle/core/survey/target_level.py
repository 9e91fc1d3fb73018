"""The gain that reaches a loudness: tried on the song or a passage, with what it costs the stages behind it."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any, Literal

from tin_kettle.core.engine.graph.meters import METER_HOP, is_effort
from tin_kettle.core.engine.graph.traversal import Metered
from tin_kettle.core.engine.parallel import CORES
from tin_kettle.core.engine.passage import Passage
from tin_kettle.core.engine.source import Source
from tin_kettle.core.errors import RecipeError
from tin_kettle.core.measure.loudness import (
    MOMENTARY_SLOTS,
    SHORT_TERM_SLOTS,
    LoudnessMeter,
    highest_lufs,
    integrated_lufs,
    stereo_energy,
)
from tin_kettle.core.measure.peaks import TruePeakMeter
from tin_kettle.core.progress import Progress
from tin_kettle.core.recipe.model import Recipe
from tin_kettle.core.stages.number_text import db
from tin_kettle.core.survey.trials import asked_stage, brought_to, unridden, with_value

Aim = Literal["integrated_lufs", "max_short_term_lufs", "max_momentary_lufs", "true_peak_dbtp"]
NAMES: dict[Aim, str] = {
    "integrated_lufs": "LUFS",
    "max_short_term_lufs": "LUFS short-term",
    "max_momentary_lufs": "LUFS momentary",
    "true_peak_dbtp": "dBTP",
}
CLOSE_DB = 0.02
"""Nearer than this no better is sought; the promise is 0.05."""
REACHED_DB = 0.05
MOST_TRIALS = 9
STEP_DB = 0.01


@dataclass(frozen=True)
class Trial:
    """A gain and what it makes of the passage.

    Args:
        measures: by the names of ``measure``.
        work_db: what each dynamic stage from there on takes off at most, dB ≤ 0, by id.
    """

    gain_db: float
    measures: dict[str, float | None]
    work_db: dict[str, float]


@dataclass(frozen=True)
class ReachedLevel:
    """Before and after: ``words`` say what it takes and what it costs."""

    param: str
    before: Trial
    after: Trial
    reached: bool
    words: str

    def document(self) -> dict[str, Any]:
        """Plain values."""
        trials = {
            name: {"gain_db": trial.gain_db, "measures": trial.measures, "work_db": trial.work_db}
            for name, trial in (("before", self.before), ("after", self.after))
        }
        return {"param": self.param, "reached": self.reached, "words": self.words, **trials}


def aim_at(
    recipe: Recipe,
    sources: Mapping[str, Source],
    stage_id: str,
    aim: Aim,
    target: float,
    start: int,
    end: int,
    progress: Progress | None = None,
) -> ReachedLevel:
    """The value of a stage's level at which a passage (song frames) measures ``target``, within 0.05 dB.

    Where no value reaches it, the nearest that was found.

    Raises:
        RecipeError: the stage has no level of its own, is off, or its level is ridden; or the passage is silent.
    """
    stage = asked_stage(recipe, stage_id)
    param = stage.declared.level
    if param is None:
        raise RecipeError("stage", f"a {stage.declared.title.lower()} sets no level; choose a trim or a limiter")
    unridden(recipe, stage, param)
    about = type(stage.params).model_fields[param]
    low, high = (next(getattr(m, bound) for m in about.metadata if hasattr(m, bound)) for bound in ("ge", "le"))

    def told(share: float) -> None:
        if progress:
            progress(share)

    with brought_to(recipe, sources, stage_id, lambda share: told(0.4 * share)) as (rest, met):
        tried: list[Trial] = []

        def trial(gain_db: float) -> float:
            done = 0.4 + 0.6 * min(len(tried) / 4.0, 0.95)
            made = with_value(rest, stage_id, param, gain_db)
            tried.append(_tried(made, met, gain_db, start, end, lambda share: told(done + 0.03 * share)))
            found = tried[-1].measures[aim]
            if found is None:
                raise RecipeError("passage", "nothing sounds there; choose another part of the song")
            return target - found

        gain_db: float = getattr(stage.params, param)
        points = [(gain_db, trial(gain_db))]
        while abs(points[-1][1]) > CLOSE_DB and len(tried) < MOST_TRIALS:
            gain_db = round(min(max(_following(points), low), high) / STEP_DB) * STEP_DB
            if any(gain_db == before for before, _ in points):
                break
            points.append((gain_db, trial(gain_db)))
        best = min(tried, key=lambda one: abs((one.measures[aim] or 0.0) - target))
    told(1.0)
    found = best.measures[aim]
    assert found is not None
    reached = abs(found - target) <= REACHED_DB
    return ReachedLevel(param, tried[0], best, reached, _words(recipe, tried[0], best, aim, target, reached))


def _following(points: Sequence[tuple[float, float]]) -> float:
    """The gain to try after (gain, what is missing) of those before: along the line through the last two."""
    gain_db, missing = points[-1]
    if len(points) == 1:
        return gain_db + missing
    before_db, was_missing = points[-2]
    # what stands behind swallows some of every dB, and where it swallows all, one must not run away
    won = (was_missing - missing) / (gain_db - before_db)
    return gain_db + missing / min(max(won, 0.2), 2.0)


def _tried(
    recipe: Recipe, sources: Mapping[str, Source], gain_db: float, start: int, end: int, progress: Progress
) -> Trial:
    passage = Passage(recipe, sources, start, end)
    passage.graph.meter(True)
    first_hop = passage.early_frames // METER_HOP
    loudness, peaks, work = LoudnessMeter(passage.rate_hz), TruePeakMeter(), dict[str, float]()
    dynamic = {stage.id for stage in recipe.stages() if stage.on and stage.declared.dynamic}

    def read(part: Metered) -> None:
        if part.id in dynamic and part.reading is not None:
            efforts = [row for series, row in part.reading.rows.items() if is_effort(series)]
            rows = [row[max(first_hop - begins, 0) :] for begins, row in efforts]
            work[part.id] = min(work.get(part.id, 0.0), *(float(row.min(initial=0.0)) for row in rows))

    for block in passage.blocks(read, progress, CORES):
        loudness.feed(block)
        peaks.feed(block)
    peaks.finish()
    energy = stereo_energy(loudness.slots())
    measures = {
        "integrated_lufs": integrated_lufs(energy),
        "max_short_term_lufs": highest_lufs(energy, SHORT_TERM_SLOTS),
        "max_momentary_lufs": highest_lufs(energy, MOMENTARY_SLOTS),
        "true_peak_dbtp": peaks.dbtp,
    }
    return Trial(gain_db, measures, work)


def _words(recipe: Recipe, before: Trial, after: Trial, aim: Aim, target: float, reached: bool) -> str:
    found = after.measures[aim]
    assert found is not None
    says = f"{db(after.gain_db)} {'reaches' if reached else 'comes closest:'} {found:.1f} {NAMES[aim]}"
    says = says.replace("-", "−")
    if not reached:
        says += f", not {target:.1f}".replace("-", "−")
    costs = []
    for stage_id, most in after.work_db.items():
        stage = recipe.stage(stage_id)
        was = before.work_db.get(stage_id, 0.0)
        if stage is not None and abs(most - was) >= 0.1:
            name = stage.declared.title.lower()
            costs.append(f"the {name} then reduces by {db(-most, signed=False)} max, now {db(-was, signed=False)}")
    return "; ".join([says, *(costs or ["it costs nothing behind it"])])
