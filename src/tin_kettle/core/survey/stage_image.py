"""What a stage does to the stereo image of a passage, and what the song loses in mono."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import numpy as np

from tin_kettle.core.engine.passage import render_passage
from tin_kettle.core.engine.source import Source
from tin_kettle.core.measure import loudness
from tin_kettle.core.measure.loudness import ABSOLUTE_GATE_LUFS, SHORT_TERM_SLOTS, SLOTS_PER_S
from tin_kettle.core.measure.stereo_image import StereoImage, stereo_image
from tin_kettle.core.recipe.extract import up_to
from tin_kettle.core.recipe.model import Recipe
from tin_kettle.core.stages.number_text import bare, clock
from tin_kettle.core.survey.gain_reduction import excerpt
from tin_kettle.core.survey.survey import Survey

QUIET_LU = 20.0
"""Passages that lie so far below the loudest lose what nobody hears."""


def images_of(
    recipe: Recipe, stage_id: str, sources: Mapping[str, Source], start: int, end: int
) -> tuple[StereoImage, StereoImage]:
    """The image of a passage of at most 20 s as the stage meets it and as it leaves it.

    Raises:
        RecipeError: there is no such stage.
    """
    span = excerpt(sources, start, end)
    rate_hz = next(iter(sources.values())).rate_hz
    before, after = (render_passage(up_to(recipe, stage_id, on), sources, *span)[1] for on in (False, True))
    return stereo_image(before, rate_hz), stereo_image(after, rate_hz)


def mono_loss_along(survey: Survey) -> np.ndarray:
    """(windows,) LU that mono loses of every 3 s, a window every 10 ms; nought where it is quiet."""
    stereo, mono = (
        loudness.running_lufs(energy(survey.slots), SHORT_TERM_SLOTS)
        for energy in (loudness.stereo_energy, loudness.mono_energy)
    )
    loud = stereo > max(float(stereo.max(initial=-200.0)) - QUIET_LU, ABSOLUTE_GATE_LUFS)
    return np.asarray(np.where(loud, stereo - mono, 0.0))


def worst_mono(survey: Survey) -> tuple[float, float]:
    """The most that mono loses of any 3 s, in LU, and the middle of these in seconds."""
    lost = mono_loss_along(survey)
    at = int(np.argmax(lost))
    return float(lost[at]), max(0.0, (at + 1 - SHORT_TERM_SLOTS / 2) / SLOTS_PER_S)


def told(before: StereoImage, after: StereoImage, song: Survey | None) -> dict[str, Any]:
    """Both images as plain values, what mono loses of the song where that is known, and the whole in words."""
    words = []
    if before.mono_loss_lu is not None and after.mono_loss_lu is not None:
        words.append(
            f"in mono the passage loses {_lu(after.mono_loss_lu)}, before the stage {_lu(before.mono_loss_lu)}"
        )
    found: dict[str, Any] = {"before": before.document(), "after": after.document(), "song": None}
    if song is not None and song.measures["mono_loss_lu"] is not None:
        worst, at_s = worst_mono(song)
        whole = song.measures["mono_loss_lu"]
        found["song"] = {"mono_loss_lu": round(whole, 3), "worst_lu": round(worst, 3), "at_s": round(at_s, 2)}
        words.append(f"the song {_lu(whole)}, most at {clock(at_s)}, {_lu(worst)}")
    return {**found, "words": "; ".join(words)}


def _lu(value: float) -> str:
    return f"{bare(round(value, 1) + 0.0)} LU".replace("-", "−")
