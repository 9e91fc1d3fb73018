"""A part of a source, and what a recipe makes of it."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np

from tin_kettle.core.engine.offline import render
from tin_kettle.core.engine.source import Source
from tin_kettle.core.recipe.model import Recipe
from tin_kettle.core.stages.processor import Block

PREROLL_S = 1.0


class Passage:
    """A source that is only a stretch of another one."""

    def __init__(self, source: Source, start: int, end: int) -> None:
        self._source, self._start = source, start
        self.rate_hz, self.frames = source.rate_hz, end - start

    def read(self, start: int, frames: int) -> Block:
        """(2, frames) from ``start`` of the stretch; silence outside it."""
        low, high = max(start, 0), min(start + frames, self.frames)
        out = np.zeros((2, frames))
        if low < high:
            out[:, low - start : high - start] = self._source.read(self._start + low, high - low)
        return out


def render_passage(recipe: Recipe, sources: Mapping[str, Source], start: int, end: int) -> tuple[Block, Block]:
    """A short passage as received and through the recipe, each (2, frames), the recipe having heard a second before."""
    rate_hz = next(iter(sources.values())).rate_hz
    early = max(0, start - round(PREROLL_S * rate_hz))
    parts = {bus_id: Passage(source, early, end) for bus_id, source in sources.items()}
    after = np.concatenate(list(render(recipe, parts)), axis=1)[:, start - early :]
    before = np.add.reduce([source.read(start, end - start) for source in sources.values()])
    return np.asarray(before), after
