"""Rendering a whole song: the graph driven from the first frame to the last, in constant memory."""

from __future__ import annotations

import math
from collections import deque
from collections.abc import Iterator, Mapping
from concurrent.futures import Future, ThreadPoolExecutor

import numpy as np

from tin_kettle.core.dsp.block import Block
from tin_kettle.core.dsp.timeline import Span, Timeline
from tin_kettle.core.engine.graph.graph import Graph
from tin_kettle.core.engine.graph.traversal import Pipeline, Read
from tin_kettle.core.engine.parallel import BLOCK_FRAMES, CORES
from tin_kettle.core.engine.source import Source
from tin_kettle.core.errors import AudioError, RecipeError
from tin_kettle.core.progress import Progress
from tin_kettle.core.recipe.model import Recipe

LONGEST_TAIL_S = 60.0
"""However long a chain rings, a print is not made longer than this by itself."""


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


def ringing_frames(graph: Graph) -> int:
    """How long a recipe rings on after the song, until 96 dB are gone; the delay of stages is no part of it."""
    return math.ceil(min(graph.tail_s, LONGEST_TAIL_S) * graph.rate_hz)


def render(
    recipe: Recipe,
    sources: Mapping[str, Source],
    *,
    first: int = 0,
    last: int | None = None,
    block_frames: int = BLOCK_FRAMES,
    progress: Progress | None = None,
    graph: Graph | None = None,
    read: Read | None = None,
    threads: int = CORES,
) -> Iterator[Block]:
    """Blocks of the mastered song, (2, frames), aligned to the sources: from frame ``first`` up to ``last``, its end.

    Raises:
        AudioError: the rates of the sources differ, or a stage gives numbers that are no sound.

    The samples depend neither on ``block_frames`` nor on ``threads``; what is done in the server takes one, and leaves
    the other cores to the ear. A ``graph`` made for the recipe may be given, and ``read`` looks at each of its parts
    after every block that it heard, also while it is still filling its delay.
    """
    rate_hz = song_rate(recipe, sources)
    graph = graph or Graph(recipe, rate_hz)
    end = (song_frames(sources) if last is None else last) - first + graph.delay
    for span, out in _walked(graph, sources, first, end, block_frames, read, threads):
        early = max(graph.delay - span.start, 0)
        if early < span.frames:
            yield np.ascontiguousarray(out[:, early:])
        if progress:
            progress(min(1.0, (span.start + span.frames) / end))


def _walked(
    graph: Graph,
    sources: Mapping[str, Source],
    first: int,
    end: int,
    block_frames: int,
    read: Read | None,
    threads: int,
) -> Iterator[tuple[Span, Block]]:
    """Blocks as they leave the road; while one is at its end, the next are on their way."""
    clock, pipeline = Timeline(0, first), Pipeline(read)

    def coming() -> Iterator[tuple[int, Span, Mapping[str, Block]]]:
        for number, start in enumerate(range(0, end, block_frames)):
            span = Span(clock, start, min(block_frames, end - start))
            yield number, span, {bus: source.read(first + start, span.frames) for bus, source in sources.items()}

    def go(number: int, span: Span, inputs: Mapping[str, Block]) -> Block:
        try:
            out = graph.process(inputs, span, pipeline.traversal(number))
            graph.check_finite(out)
            return out
        except BaseException:
            pipeline.stop()
            raise

    if threads == 1:
        for number, span, inputs in coming():
            yield span, go(number, span, inputs)
        return
    under_way: deque[tuple[Span, Future[Block]]] = deque()
    with ThreadPoolExecutor(threads) as pool:
        for number, span, inputs in coming():
            under_way.append((span, pool.submit(go, number, span, inputs)))
            if len(under_way) > threads:
                through, out = under_way.popleft()
                yield through, out.result()
        for through, out in under_way:
            yield through, out.result()
