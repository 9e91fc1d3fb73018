"""Rendering a whole song: the graph driven from the first frame to the last, in constant memory."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping

import numpy as np

from tin_kettle.core.engine.graph import Graph
from tin_kettle.core.engine.source import Source
from tin_kettle.core.errors import AudioError, RecipeError
from tin_kettle.core.recipe.model import Recipe
from tin_kettle.core.stages.processor import Block

BLOCK_FRAMES = 8192
Progress = Callable[[float], None]
"""Called with the share done, 0–1; it may raise :class:`Cancelled` to stop the work."""


def song_rate(recipe: Recipe, sources: Mapping[str, Source]) -> int:
    """The rate that all sources share.

    Raises:
        AudioError: rates differ.
        RecipeError: a bus has no source, or a source no bus.
    """
    wanted, given = [bus.id for bus in recipe.buses], list(sources)
    for i, bus_id in enumerate(wanted):
        if bus_id not in sources:
            raise RecipeError(f"$.buses[{i}]", f"bus '{bus_id}' has no file; give one for each of {', '.join(wanted)}")
    for bus_id in given:
        if bus_id not in wanted:
            raise RecipeError("$.buses", f"there is no bus '{bus_id}'; buses: {', '.join(wanted)}")
    rates = {bus_id: source.rate_hz for bus_id, source in sources.items()}
    if len(set(rates.values())) > 1:
        listed = ", ".join(f"{bus_id} {rate} Hz" for bus_id, rate in rates.items())
        raise AudioError(f"the sources' rates differ ({listed}); bounce all at one rate")
    return next(iter(rates.values()))


def song_frames(sources: Mapping[str, Source]) -> int:
    """Length of the longest source; shorter ones are padded with silence at the end."""
    return max(source.frames for source in sources.values())


def render(
    recipe: Recipe,
    sources: Mapping[str, Source],
    *,
    block_frames: int = BLOCK_FRAMES,
    tail_frames: int = 0,
    progress: Progress | None = None,
    graph: Graph | None = None,
) -> Iterator[Block]:
    """Blocks of the mastered song, (2, frames), aligned to the sources and as long as them plus the tail.

    The samples do not depend on ``block_frames``. A ``graph`` made for the recipe may be given to read its meters.
    """
    rate_hz = song_rate(recipe, sources)
    graph = graph or Graph(recipe, rate_hz)
    length = song_frames(sources) + tail_frames
    end = length + graph.delay
    for start in range(0, end, block_frames):
        frames = min(block_frames, end - start)
        out = graph.process({bus_id: source.read(start, frames) for bus_id, source in sources.items()})
        early = max(graph.delay - start, 0)
        if early < frames:
            yield np.ascontiguousarray(out[:, early:])
        if progress:
            progress(min(1.0, (start + frames) / end))
