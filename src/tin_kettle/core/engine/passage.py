"""What a recipe makes of a part of a song."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np

from tin_kettle.core.engine.graph.graph import Graph
from tin_kettle.core.engine.offline import render
from tin_kettle.core.engine.source import Source
from tin_kettle.core.recipe.model import Recipe
from tin_kettle.core.stages.processor import Block

PREROLL_S, LONGEST_PREROLL_S = 1.0, 30.0
"""How much of the music before a passage a recipe has to have heard, at least and at most."""


def render_passage(recipe: Recipe, sources: Mapping[str, Source], start: int, end: int) -> tuple[Block, Block]:
    """A short passage as received and through the recipe that heard what came before it, each (2, frames)."""
    rate_hz = next(iter(sources.values())).rate_hz
    early = early_frames(recipe, rate_hz, start)
    after = np.concatenate(list(render(recipe, sources, first=start - early, last=end, threads=1)), axis=1)[:, early:]
    before = np.add.reduce([source.read(start, end - start) for source in sources.values()])
    return np.asarray(before), after


def early_frames(recipe: Recipe, rate_hz: int, start: int) -> int:
    """How many frames before a passage a recipe has to have heard, at most those that there are."""
    heard_s = min(max(Graph(recipe, rate_hz).memory_s, PREROLL_S), LONGEST_PREROLL_S)
    return min(start, round(heard_s * rate_hz))
