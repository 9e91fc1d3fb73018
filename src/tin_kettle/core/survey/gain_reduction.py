"""How hard a compressor works on a passage: the threshold that keeps its work, the makeup that keeps the loudness."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np

from tin_kettle.core.dsp.block import Block
from tin_kettle.core.engine.graph.stage_node import StageNode
from tin_kettle.core.engine.graph.traversal import Metered
from tin_kettle.core.engine.offline import song_frames, song_rate
from tin_kettle.core.engine.passage import Passage
from tin_kettle.core.engine.source import Source
from tin_kettle.core.errors import RecipeError
from tin_kettle.core.measure.loudness import LoudnessMeter, integrated_lufs, stereo_energy
from tin_kettle.core.recipe.extract import up_to
from tin_kettle.core.recipe.model import Recipe
from tin_kettle.core.stages.compressor import Compressor, CompressorParams
from tin_kettle.core.stages.stage import Stage

LONGEST_S = 20.0
STEPS = 12
LOWEST_DB, HIGHEST_DB = -60.0, 0.0


def excerpt(sources: Mapping[str, Source], start: int, end: int) -> tuple[int, int]:
    """The frames of a passage, no more than 20 s about its middle."""
    rate_hz = next(iter(sources.values())).rate_hz
    start, end = max(0, start), min(end, song_frames(sources))
    if end - start > LONGEST_S * rate_hz:
        middle, half = (start + end) // 2, round(LONGEST_S * rate_hz / 2)
        start, end = middle - half, middle + half
    return start, max(end, start + 1)


def _stage(recipe: Recipe, stage_id: str) -> tuple[Stage, CompressorParams]:
    stage = recipe.stage(stage_id)
    if stage is None or not isinstance(stage.params, CompressorParams):
        raise RecipeError("stage", f"'{stage_id}' is no compressor of this song; choose one")
    return stage, stage.params


def _heard(recipe: Recipe, stage_id: str, sources: Mapping[str, Source], start: int, end: int) -> tuple[Block, int]:
    """What a stage's detector hears over the passage, (2, frames), and how many of these come before it."""
    parts = []

    def read(part: Metered) -> None:
        if part.id == stage_id and isinstance(part, StageNode) and part.detector is not None:
            parts.append(part.detector)

    passage = Passage(recipe, sources, start, end)
    for _ in passage.blocks(read):
        pass
    return np.concatenate(parts, axis=1), passage.early_frames


def mean_effort_db(params: CompressorParams, heard: Block, rate_hz: float, early_frames: int = 0) -> float:
    """Average gain in dB of a setting on what its detector hears, without the first ``early_frames`` of it."""
    plain = params.model_copy(update={"detector_filters": (), "lookahead_ms": 0.0, "key": None})
    processor = Compressor(plain, rate_hz)
    processor.process(heard.copy())
    return float(processor.efforts_db["effort_db"][:, early_frames:].mean())


def threshold_for_work(
    before: Recipe, after: Recipe, stage_id: str, sources: Mapping[str, Source], start: int, end: int
) -> float:
    """The threshold at which the stage of ``after`` takes off as much on average as that of ``before``, in dB.

    Raises:
        RecipeError: there is no such compressor.
    """
    _, was = _stage(before, stage_id)
    stage, wanted = _stage(after, stage_id)
    if not stage.on or wanted.ratio == 1.0:
        return wanted.threshold_db
    rate_hz = song_rate(after, sources)
    heard, early = _heard(after, stage_id, sources, *excerpt(sources, start, end))
    goal = mean_effort_db(was, heard, rate_hz, early)
    low, high = LOWEST_DB, HIGHEST_DB
    for _ in range(STEPS):
        middle = 0.5 * (low + high)
        works = mean_effort_db(wanted.model_copy(update={"threshold_db": middle}), heard, rate_hz, early)
        low, high = (middle, high) if works < goal else (low, middle)
    return round(0.5 * (low + high), 1)


def makeup_gain_db(recipe: Recipe, stage_id: str, sources: Mapping[str, Source], start: int, end: int) -> float:
    """What has to be added to a compressor's makeup so that the passage is as loud after it as before it, in dB.

    Raises:
        RecipeError: there is no such compressor.
    """
    _stage(recipe, stage_id)
    span = excerpt(sources, start, end)
    with_it, without_it = (_lufs(up_to(recipe, stage_id, on), sources, *span) for on in (True, False))
    return 0.0 if with_it is None or without_it is None else round(without_it - with_it, 2)


def _lufs(recipe: Recipe, sources: Mapping[str, Source], start: int, end: int) -> float | None:
    meter = LoudnessMeter(song_rate(recipe, sources))
    for block in Passage(recipe, sources, start, end).blocks():
        meter.feed(block)
    return integrated_lufs(stereo_energy(meter.slots()))
