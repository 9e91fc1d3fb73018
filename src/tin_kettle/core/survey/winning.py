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

from tin_kettle.core.engine.graph.reading import METER_HOP, series_db
from tin_kettle.core.engine.graph.slot import Slot
from tin_kettle.core.engine.graph.tree import Lane
from tin_kettle.core.engine.offline import Progress, render, song_frames, song_rate
from tin_kettle.core.engine.source import Source
from tin_kettle.core.errors import RecipeError
from tin_kettle.core.measure.distortion import AddedMeter
from tin_kettle.core.recipe.model import Recipe
from tin_kettle.core.recipe.parts import up_to
from tin_kettle.core.recipe.reading import dump_recipe, parse_recipe
from tin_kettle.core.stages.words import bare, db
from tin_kettle.core.survey.rules.ends import ENDS
from tin_kettle.core.survey.trying import asked_stage, brought_to, unridden, with_value
from tin_kettle.core.survey.work import LONGEST_S

STEPS = 8
FEWEST_DB = 8.0
WORTH_LU = 0.7
"""Where a dB more wins less than this, it is the music's life that is spent and not headroom."""
LEAST_LESS_DB = 0.1
"""What takes less than this off is not worth a filter."""


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


@dataclass(frozen=True)
class Cut:
    """What a filter at one end of the spectrum, before all else, changes where the stage works hardest.

    Args:
        less_db: less taken off at most; lufs: louder by this.
    """

    name: str
    less_db: float
    lufs: float


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
        always does), that in words, and what cutting the ``ends`` of the spectrum would win, in words.

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

        def one(index: int) -> tuple[Won, int]:
            made = with_value(alone, stage_id, param, pushes[index])
            return _won(made, met, stage_id, pushes[index], lambda share: told(index, share))

        with ThreadPoolExecutor(os.cpu_count() or 1) as pool:
            tried = list(pool.map(one, range(len(pushes))))
        steps, hardest = [won for won, _ in tried], tried[-1][1]
        ends = _ends(with_value(alone, stage_id, param, pushes[-1]), met, stage_id, hardest)
    worth = next(
        (a.push_db for a, b in itertools.pairwise(steps) if (b.lufs - a.lufs) / (b.push_db - a.push_db) < WORTH_LU),
        None,
    )
    return {
        "param": param,
        "steps": [{name: round(value, 3) for name, value in vars(step).items()} for step in steps],
        "worth_db": worth,
        "words": _words(steps, worth),
        "ends": _end_words(ends, pushes[-1]),
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


def _ends(loud: Recipe, met: Mapping[str, Source], stage_id: str, hardest: int) -> list[Cut]:
    """Try what no one hears away: both ends of the spectrum, in 20 s about the hardest work."""
    half = round(0.5 * LONGEST_S * song_rate(loud, met))
    first, last = max(0, hardest - half), min(song_frames(met), hardest + half)
    document = dump_recipe(loud)
    whole, _ = _won(loud, met, stage_id, 0.0, None, first, last)
    cuts = []
    for end in ENDS:
        cut = {"id": "cut-end", "kind": "filter", "params": end.params}
        without = parse_recipe({**document, "master": [cut, *document["master"]]})
        found, _ = _won(without, met, stage_id, 0.0, None, first, last)
        cuts.append(Cut(f"{end.cut} at {end.at}", found.work_db - whole.work_db, found.lufs - whole.lufs))
    return cuts


def _end_words(cuts: list[Cut], push_db: float) -> str:
    found = [
        f"a {cut.name} takes {db(cut.less_db, signed=False)} off its hardest work ({db(cut.lufs)[:-3]} LU)"
        for cut in cuts
        if cut.less_db >= LEAST_LESS_DB
    ]
    if not found:
        return f"at {bare(push_db)} dB of push nothing is won by cutting {' or '.join(end.where for end in ENDS)}"
    return f"at {bare(push_db)} dB of push {' and '.join(found)}"


def _won(
    recipe: Recipe,
    sources: Mapping[str, Source],
    stage_id: str,
    push_db: float,
    progress: Progress | None,
    first: int = 0,
    last: int | None = None,
) -> tuple[Won, int]:
    """What a push does to a passage, and the frame where most is taken off."""
    rate_hz = song_rate(recipe, sources)
    (source,) = sources.values()
    meter, rows, at = AddedMeter(rate_hz), list[np.ndarray](), first

    def read(part: Slot | Lane) -> None:
        if part.id == stage_id and isinstance(part, Slot):
            # what it takes off, and nothing else that meters read
            efforts = part.voice.processor.efforts_db
            rows.extend(series_db(name, effort_db, 0)[1] for name, effort_db in efforts.items())

    blocks = render(recipe, sources, first=first, last=last, read=read, progress=progress)
    for block in blocks:
        frames = block.shape[1]
        meter.feed(source.read(at, frames), block)
        at += frames
    lufs = meter.integrated_lufs
    if lufs is None:
        raise RecipeError("song", "nothing sounds there; choose a song that does")
    effort = np.concatenate(rows) if rows else np.zeros(1)
    hardest = first + int(np.argmin(effort)) * METER_HOP
    return Won(push_db, lufs, float(effort.min()), float(np.quantile(effort, 0.1)), meter.added_db), hardest
