"""The gain at which a whole song measures a loudness: of its last limiter, or of a trim."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from tin_kettle.core.engine.offline import song_frames
from tin_kettle.core.engine.source import Source
from tin_kettle.core.progress import Progress
from tin_kettle.core.recipe.automation import targets
from tin_kettle.core.recipe.model import STAGES, Recipe
from tin_kettle.core.stages.stage import Stage
from tin_kettle.core.stages.trim import TrimParams
from tin_kettle.core.survey.target_level import aim_at
from tin_kettle.core.survey.trials import with_value

NEW_TRIM = "level"


@dataclass(frozen=True)
class SongLevel:
    """A recipe that reaches a loudness, or comes nearest.

    Args:
        stage: id of the stage whose gain was set.
    """

    recipe: Recipe
    stage: str
    gain_db: float
    lufs: float
    true_peak_dbtp: float
    reached: bool

    def document(self) -> dict[str, Any]:
        """Plain values without the recipe."""
        return {
            "stage": self.stage,
            "gain_db": self.gain_db,
            "lufs": round(self.lufs, 3),
            "true_peak_dbtp": round(self.true_peak_dbtp, 3),
            "reached": self.reached,
        }


def set_song_level(
    recipe: Recipe, sources: Mapping[str, Source], lufs: float, progress: Progress | None = None
) -> SongLevel:
    """Move the gain of the master's last limiter, else of its last trim, else of a new one at its end.

    Nothing else is changed. Within 0.05 LU where it can be reached, else the nearest.

    Raises:
        RecipeError: the gain moves by automation, or the song is silent.
    """
    recipe, stage = _with_level(recipe)
    param = stage.declared.level
    assert param is not None
    found = aim_at(recipe, sources, stage.id, "integrated_lufs", lufs, 0, song_frames(sources), progress).after
    reached_lufs, peak_dbtp = found.measures["integrated_lufs"], found.measures["true_peak_dbtp"]
    assert reached_lufs is not None and peak_dbtp is not None
    gain_db = round(found.gain_db, 2)
    made = with_value(recipe, stage.id, param, gain_db)
    return SongLevel(made, stage.id, gain_db, reached_lufs, peak_dbtp, abs(reached_lufs - lufs) <= 0.05)


def _with_level(recipe: Recipe) -> tuple[Recipe, Stage]:
    """The stage that sets the level, and the recipe with it."""
    sounding = [stage for stage in recipe.master if stage.on and stage.declared.level]
    limiters = [stage for stage in sounding if stage.declared.hold]
    if sounding:
        return recipe, (limiters or sounding)[-1]
    taken = set(targets(recipe)) | {section.id for section in recipe.sections}
    name = NEW_TRIM
    while name in taken:
        name += "2"
    trim = STAGES["trim"](id=name, kind="trim", params=TrimParams())
    return recipe.model_copy(update={"master": (*recipe.master, trim)}), trim
