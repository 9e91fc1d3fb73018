"""What a recipe makes of a part of a song."""

from __future__ import annotations

from collections.abc import Iterator, Mapping

import numpy as np

from tin_kettle.core.dsp.block import Block
from tin_kettle.core.engine.graph.graph import Graph
from tin_kettle.core.engine.graph.meters import METER_HOP
from tin_kettle.core.engine.graph.traversal import Read
from tin_kettle.core.engine.offline import render, song_rate
from tin_kettle.core.engine.source import Source
from tin_kettle.core.progress import Progress
from tin_kettle.core.recipe.model import Recipe

PREROLL_S, LONGEST_PREROLL_S = 1.0, 30.0
"""How much of the music before a passage a recipe has to have heard, at least and at most."""


class Passage:
    """A part of a song as it sounds within it: the recipe hears what comes before as well, as far as it remembers.

    Args:
        start, end: in frames of the song.

    Attributes:
        early_frames: how much before the passage is rendered, whole hops of the meters. What is read of stages counts
            from there.
    """

    def __init__(self, recipe: Recipe, sources: Mapping[str, Source], start: int, end: int) -> None:
        self._recipe, self._sources, self._start, self._end = recipe, sources, start, end
        self.rate_hz = song_rate(recipe, sources)
        self.graph = Graph(recipe, self.rate_hz)
        heard_s = min(max(self.graph.memory_s, PREROLL_S), LONGEST_PREROLL_S)
        early = min(start, round(heard_s * self.rate_hz))
        self.early_frames = early - early % METER_HOP

    def blocks(self, read: Read | None = None, progress: Progress | None = None, threads: int = 1) -> Iterator[Block]:
        """Blocks of the passage alone, (2, frames); once. Arguments are those of :func:`render`."""
        skip = self.early_frames
        for block in render(
            self._recipe,
            self._sources,
            first=self._start - skip,
            last=self._end,
            graph=self.graph,
            read=read,
            progress=progress,
            threads=threads,
        ):
            dropped = min(skip, block.shape[1])
            skip -= dropped
            if dropped < block.shape[1]:
                yield np.ascontiguousarray(block[:, dropped:])


def render_passage(recipe: Recipe, sources: Mapping[str, Source], start: int, end: int) -> tuple[Block, Block]:
    """A short passage as received and through the recipe, each (2, frames)."""
    after = np.concatenate(list(Passage(recipe, sources, start, end).blocks()), axis=1)
    before = np.add.reduce([source.read(start, end - start) for source in sources.values()])
    return np.asarray(before), after
