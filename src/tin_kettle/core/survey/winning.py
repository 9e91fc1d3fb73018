"""Loudness won for each dB that a song is pushed against a ceiling, and what each dB costs: found by trying."""

from __future__ import annotations

import itertools
import math
import os
from collections.abc import Mapping
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from typing import Any

import numpy as np

from tin_kettle.core.engine.graph.graph import Graph
from tin_kettle.core.engine.graph.reading import is_effort
from tin_kettle.core.engine.offline import Progress, render, song_rate
from tin_kettle.core.engine.source import Source
from tin_kettle.core.errors import RecipeError
from tin_kettle.core.measure.distortion import AddedMeter
from tin_kettle.core.recipe.model import Recipe
from tin_kettle.core.recipe.parts import up_to
from tin_kettle.core.stages.words import bare
from tin_kettle.core.survey.trying import asked_stage, brought_to, unridden, with_value

STEPS = 8
FEWEST_DB = 8.0
WORTH_LU = 0.7
"""Where a dB more wins less than this, it is the music's life that is spent and not headroom."""
BLOCK_FRAMES = 16384


@dataclass(frozen=True)
class Won:
    """A push and what it does.

    Args:
        work_db: taken off at most, and for a tenth of the time (dB ≤ 0).
        added_db: distortion, as :class:`AddedMeter` has it.
    """

    push_db: float
    lufs: float
    work_db: float
    often_db: float
    added_db: float


def pushes_db(here_db: float) -> list[float]:
    """What is tried of a stage that is pushed so far: from nothing to 8 dB, or further in wider steps."""
    step_db = math.ceil(max(FEWEST_DB, here_db) / STEPS)
    return [float(step_db * i) for i in range(STEPS + 1)]


def won_by(
    recipe: Recipe, sources: Mapping[str, Source], stage_id: str, progress: Progress | None = None
) -> dict[str, Any]:
    """Loudness behind a stage at nine pushes from nothing to 8 dB (further where it stands further), over the song.

    Returns:
        ``param``, the ``steps`` as plain values, where a dB more wins less than 0.7 LU (``worth_db``, null where it
        always does), and that in words.

    Raises:
        RecipeError: nothing can be pushed into the stage, it is off, or what pushes is ridden; or the song is silent.
    """
    stage = asked_stage(recipe, stage_id)
    param = stage.declared.pushes
    if param is None:
        raise RecipeError("stage", f"nothing is pushed into a {stage.declared.title.lower()}; choose a limiter")
    unridden(recipe, stage, param)
    pushes = pushes_db(getattr(stage.params, param))
    shares = [0.0] * len(pushes)

    def told(index: int, share: float) -> None:
        shares[index] = share
        if progress:
            progress(0.4 + 0.6 * sum(shares) / len(shares))

    early = (lambda share: progress(0.4 * share)) if progress else None
    # only up to the stage itself: what stands behind it is no part of what it wins
    upto = up_to(recipe, stage_id, on=True)
    with brought_to(upto, sources, stage_id, early) as (alone, met):
        if alone is upto:
            raise RecipeError("stage", f"'{stage_id}' is not on the master; what a song wins is tried there")

        def one(index: int) -> Won:
            made = with_value(alone, stage_id, param, pushes[index])
            return _won(made, met, stage_id, pushes[index], lambda share: told(index, share))

        with ThreadPoolExecutor(os.cpu_count() or 1) as pool:
            steps = list(pool.map(one, range(len(pushes))))
    worth = next(
        (a.push_db for a, b in itertools.pairwise(steps) if (b.lufs - a.lufs) / (b.push_db - a.push_db) < WORTH_LU),
        None,
    )
    return {
        "param": param,
        "steps": [{name: round(value, 3) for name, value in vars(step).items()} for step in steps],
        "worth_db": worth,
        "words": _words(steps, worth),
    }


def _words(steps: list[Won], worth: float | None) -> str:
    last = steps[-1]
    all_in = f"{bare(last.push_db)} dB win {bare(last.lufs - steps[0].lufs)} LU"
    if worth is None:
        return f"{all_in}: every dB is still worth it"
    at = next(step for step in steps if step.push_db == worth)
    return (
        f"up to {bare(worth)} dB each dB wins {bare(WORTH_LU)} LU or more ({bare(at.lufs - steps[0].lufs)} LU so far); "
        f"beyond it less, and {all_in}"
    )


def _won(recipe: Recipe, sources: Mapping[str, Source], stage_id: str, push_db: float, progress: Progress) -> Won:
    rate_hz = song_rate(recipe, sources)
    graph = Graph(recipe, rate_hz)
    graph.meter(True)
    (source,) = sources.values()
    meter, rows, at = AddedMeter(rate_hz), list[np.ndarray](), 0

    def read(graph: Graph) -> None:
        reading = graph.readings().get(stage_id)
        if reading is not None:
            rows.extend(row for name, (_, row) in reading.rows.items() if is_effort(name))

    blocks = render(recipe, sources, block_frames=BLOCK_FRAMES, graph=graph, read=read, progress=progress)
    for block in blocks:
        frames = block.shape[1]
        meter.feed(source.read(at, frames), block)
        at += frames
    lufs = meter.integrated_lufs
    if lufs is None:
        raise RecipeError("song", "nothing sounds there; choose a song that does")
    effort = np.concatenate(rows) if rows else np.zeros(1)
    return Won(push_db, lufs, float(effort.min()), float(np.quantile(effort, 0.1)), meter.added_db)
