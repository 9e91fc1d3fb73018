"""Loudness won for each dB that a song is pushed against a ceiling, and what each dB costs: found by trying."""

from __future__ import annotations

import itertools
import math
import threading
from collections.abc import Mapping, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from typing import Any

import numpy as np

from tin_kettle.core.dsp.block import Block
from tin_kettle.core.engine.graph.meters import METER_HOP, series_db
from tin_kettle.core.engine.graph.stage_node import StageNode
from tin_kettle.core.engine.graph.traversal import Metered
from tin_kettle.core.engine.offline import song_frames, song_rate
from tin_kettle.core.engine.parallel import CORES
from tin_kettle.core.engine.passage import Passage
from tin_kettle.core.engine.source import Source
from tin_kettle.core.errors import RecipeError
from tin_kettle.core.measure.distortion import AddedMeter
from tin_kettle.core.measure.loudness import Weighing, k_weighting
from tin_kettle.core.progress import Progress
from tin_kettle.core.recipe.extract import up_to
from tin_kettle.core.recipe.model import Recipe
from tin_kettle.core.recipe.reading import dump_recipe, parse_recipe
from tin_kettle.core.stages.number_text import bare, db
from tin_kettle.core.survey.gain_reduction import LONGEST_S
from tin_kettle.core.survey.rules.ends import ENDS
from tin_kettle.core.survey.trials import asked_stage, brought_to, unridden, with_value

STEPS = 8
FEWEST_DB = 8.0
EARLY = 0.3
"""Share of the work that what comes before the stage takes."""
WORTH_LU = 0.7
"""Where a dB more wins less than this, it is the music's life that is spent and not headroom."""
LEAST_LESS_DB = 0.1
"""What takes less than this off is not worth a filter."""


@dataclass(frozen=True)
class LoudnessGained:
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
    early = (lambda share: progress(EARLY * share)) if progress else None
    late = (lambda share: progress(EARLY + (1.0 - EARLY) * share)) if progress else None
    # only up to the stage itself: what stands behind it is no part of what it wins
    upto = up_to(recipe, stage_id, on=True)
    with brought_to(upto, sources, stage_id, early) as (alone, met):
        if alone is upto:
            raise RecipeError("stage", f"'{stage_id}' is not on the master; what a song wins is tried there")

        made = [with_value(alone, stage_id, param, push_db) for push_db in pushes]
        tried = _tried(made, met, stage_id, pushes, late)
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


def _words(steps: list[LoudnessGained], worth: float | None) -> str:
    last = steps[-1]
    all_in = f"{bare(last.push_db)} dB more gains {bare(last.lufs - steps[0].lufs)} LU"
    if worth is None:
        return f"{all_in}: every dB still pays"
    at = next(step for step in steps if step.push_db == worth)
    return (
        f"up to {bare(worth)} dB each dB gains {bare(WORTH_LU)} LU or more "
        f"({bare(at.lufs - steps[0].lufs)} LU so far); beyond it less; {all_in}"
    )


def _ends(loud: Recipe, met: Mapping[str, Source], stage_id: str, hardest: int) -> list[Cut]:
    """Try what no one hears away: both ends of the spectrum, in 20 s about the hardest work."""
    half = round(0.5 * LONGEST_S * song_rate(loud, met))
    first, last = max(0, hardest - half), min(song_frames(met), hardest + half)
    document = dump_recipe(loud)
    without = [
        parse_recipe(
            {**document, "master": [{"id": "cut-end", "kind": "filter", "params": end.params}, *document["master"]]}
        )
        for end in ENDS
    ]
    tried = _tried([loud, *without], met, stage_id, [0.0] * (1 + len(ENDS)), None, first, last)
    (whole, _), *found = tried
    return [
        Cut(f"{end.cut} at {end.at}", won.work_db - whole.work_db, won.lufs - whole.lufs)
        for end, (won, _) in zip(ENDS, found, strict=True)
    ]


def _end_words(cuts: list[Cut], push_db: float) -> str:
    found = [
        f"a {cut.name} takes {db(cut.less_db, signed=False)} off its gain reduction ({db(cut.lufs)[:-3]} LU)"
        for cut in cuts
        if cut.less_db >= LEAST_LESS_DB
    ]
    if not found:
        return f"at {bare(push_db)} dB more, nothing is gained by cutting {' or '.join(end.where for end in ENDS)}"
    return f"at {bare(push_db)} dB more, {' and '.join(found)}"


def _tried(
    recipes: Sequence[Recipe],
    sources: Mapping[str, Source],
    stage_id: str,
    pushes: Sequence[float],
    progress: Progress | None = None,
    first: int = 0,
    last: int | None = None,
) -> list[tuple[LoudnessGained, int]]:
    """What pushes do to a passage, and the frame where each takes off most. All go along together: what comes in is
    read and weighed once."""
    rate_hz = song_rate(recipes[0], sources)
    (source,) = sources.values()
    end = song_frames(sources) if last is None else last
    came = _Came(source, rate_hz, first)
    trials = [_Trial(recipe, sources, stage_id, first, end) for recipe in recipes]
    with ThreadPoolExecutor(CORES) as pool:
        while came.at < end:
            for _ in pool.map(_Trial.hear, trials, itertools.repeat(came)):
                pass
            came.go_on()
            if progress:
                progress((came.at - first) / (end - first))
    return [trial.won(push_db, first) for trial, push_db in zip(trials, pushes, strict=True)]


class _Came:
    """What comes in, weighed by whoever asks for it first."""

    def __init__(self, source: Source, rate_hz: float, first: int) -> None:
        self.at = first
        self._source, self._weighing = source, Weighing(k_weighting(rate_hz))
        self._lock = threading.Lock()
        self._weighed: Block | None = None

    def weighed(self, frames: int) -> Block:
        """The present block."""
        with self._lock:
            if self._weighed is None:
                self._weighed = self._weighing.weigh(self._source.read(self.at, frames))
            return self._weighed

    def go_on(self) -> None:
        """To the next block."""
        assert self._weighed is not None
        self.at, self._weighed = self.at + self._weighed.shape[1], None


class _Trial:
    """One push, and what is heard of it."""

    def __init__(self, recipe: Recipe, sources: Mapping[str, Source], stage_id: str, first: int, last: int) -> None:
        self._stage_id = stage_id
        self._meter, self._efforts = AddedMeter(song_rate(recipe, sources)), list[np.ndarray]()
        passage = Passage(recipe, sources, first, last)
        self._early_hops = passage.early_frames // METER_HOP
        self._blocks = passage.blocks(self._read)

    def _read(self, part: Metered) -> None:
        """What the stage takes off, and nothing else that meters read."""
        if part.id == self._stage_id and isinstance(part, StageNode):
            efforts = part.instance.processor.efforts_db
            self._efforts.extend(series_db(name, effort_db, 0)[1] for name, effort_db in efforts.items())

    def hear(self, came: _Came) -> None:
        """The next block, before and behind."""
        left = next(self._blocks)
        self._meter.feed(came.weighed(left.shape[1]), left)

    def won(self, push_db: float, first: int) -> tuple[LoudnessGained, int]:
        """What it comes to, and the song frame where most is taken off of a passage from ``first`` on.

        Raises:
            RecipeError: it is silent.
        """
        lufs = self._meter.integrated_lufs
        if lufs is None:
            raise RecipeError("song", "nothing sounds there; choose a song that does")
        effort = np.concatenate(self._efforts)[self._early_hops :] if self._efforts else np.zeros(1)
        hardest = first + int(np.argmin(effort)) * METER_HOP
        often_db = float(np.quantile(effort, 0.1))
        return LoudnessGained(push_db, lufs, float(effort.min()), often_db, self._meter.added_db), hardest
