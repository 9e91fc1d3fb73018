"""How loud a passage is between the stages of a chain: the gain staging at a glance."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from tin_kettle.core.engine.offline import song_rate
from tin_kettle.core.engine.parallel import CORES
from tin_kettle.core.engine.passage import Passage
from tin_kettle.core.engine.source import Source
from tin_kettle.core.errors import RecipeError
from tin_kettle.core.measure.loudness import LoudnessMeter, integrated_lufs, stereo_energy
from tin_kettle.core.measure.peaks import TruePeakMeter
from tin_kettle.core.progress import Progress
from tin_kettle.core.recipe.extract import up_to
from tin_kettle.core.recipe.model import Recipe
from tin_kettle.core.survey.gain_reduction import excerpt

MASTER = "*master"
"""No bus can be called that."""


def ladder(
    recipe: Recipe, sources: Mapping[str, Source], lane: str, start: int, end: int, progress: Progress | None = None
) -> list[dict[str, Any]]:
    """What comes into a chain, and leaves each of its stages: ``stage`` (None first), ``lufs``, ``true_peak_dbtp``.

    At most 20 s about the middle of the passage are measured, each time as all that the sound has passed so far.

    Args:
        lane: ``*master``, or the id of a bus or group.

    Raises:
        RecipeError: there is no such chain, or no stage in it.
    """
    bus = recipe.buses_and_groups().get(lane)
    chain = recipe.master if lane == MASTER else bus.chain if bus else ()
    if not chain:
        raise RecipeError("lane", f"'{lane}' has no stage; choose a chain that has some")
    rate_hz = song_rate(recipe, sources)
    first, last = excerpt(sources, start, end)
    steps: list[tuple[str | None, Recipe]] = [(None, up_to(recipe, chain[0].id, on=False))]
    steps += [(stage.id, up_to(recipe, stage.id, on=stage.on)) for stage in chain]
    told = []
    for number, (stage_id, heard) in enumerate(steps):
        meter, peak = LoudnessMeter(rate_hz), TruePeakMeter()
        for block in Passage(heard, sources, first, last).blocks(threads=CORES):
            meter.feed(block)
            peak.feed(block)
        lufs = integrated_lufs(stereo_energy(meter.slots()))
        told.append(
            {
                "stage": stage_id,
                "lufs": None if lufs is None else round(lufs, 2),
                "true_peak_dbtp": round(max(peak.dbtp, -200.0), 2),
            }
        )
        if progress:
            progress((number + 1) / len(steps))
    return told
