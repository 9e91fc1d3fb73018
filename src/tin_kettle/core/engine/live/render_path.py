"""One of the things that are compared: a graph on its sources, what it fades from, its ear and its meters."""

from __future__ import annotations

import math
import time
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any, Self

import numpy as np

from tin_kettle.core.dsp.block import Block
from tin_kettle.core.dsp.state_copy import twin_of
from tin_kettle.core.dsp.timeline import Span, Timeline
from tin_kettle.core.engine.crossfade import Crossfade, blended
from tin_kettle.core.engine.graph.graph import Graph
from tin_kettle.core.engine.graph.meters import METER_HOP, Series
from tin_kettle.core.engine.source import Source
from tin_kettle.core.measure.live_meters import LiveMeter
from tin_kettle.core.measure.live_spectrum import LiveSpectrum
from tin_kettle.core.recipe.model import Recipe
from tin_kettle.core.stages.processor import Processor

BLOCK_S = 1024 / 48000
LEAST_BLOCK_FRAMES = 256
LARGE_BLOCKS = 8
"""What nobody hears is run in blocks so many times as long, which takes half the time."""
PREROLL_S, MOST_PREROLL_S = 1.0, 60.0
"""How much of the song before a new start is run through the chain, at least and at most, so that it sounds as if it
had been playing; between them as much as the chain remembers."""
PREROLL_WORK_S = 0.25
"""Computing time that this may take; a chain that remembers longer is given the last of it."""


def block_frames(rate_hz: float) -> int:
    """How many frames are rendered at a time: about 21 ms whatever the rate, a power of two."""
    return max(LEAST_BLOCK_FRAMES, 1 << round(math.log2(BLOCK_S * rate_hz)))


class PassThrough(Processor):
    """Hears what there is."""

    def process(self, block: Block) -> Block:
        return block


@dataclass(frozen=True)
class Piece:
    """What is played: a recipe on sources, and by which clock where that is not the song's own.

    Args:
        timeline: for a reference record: stream frame → its own frame.
    """

    recipe: Recipe
    sources: Mapping[str, Source]
    timeline: Timeline | None = None

    @property
    def passage(self) -> tuple[int, int] | None:
        """(start, end) in frames of its own clock, where it has one."""
        return self.timeline.loop if self.timeline else None

    def is_like(self, other: Piece) -> bool:
        """Whether both sound the same, wherever they are."""
        return self.recipe == other.recipe and self.sources is other.sources and self.passage == other.passage


class Take:
    """A piece under way: what a render path fades from and to."""

    def __init__(self, piece: Piece, graph: Graph) -> None:
        self.piece, self.graph = piece, graph

    def fork(self) -> Self:
        """A copy that goes on from the same state."""
        twin = twin_of(self)
        twin.graph = self.graph.fork()
        return twin

    def render(self, song: Timeline, position: int, frames: int) -> Block:
        """(2, frames) that are heard from a stream frame on."""
        span = Span(self.piece.timeline or song, position + self.graph.delay, frames)
        inputs = {
            bus_id: np.concatenate([source.read(at, run) for at, run in span.runs], axis=1)
            for bus_id, source in self.piece.sources.items()
        }
        return self.graph.process(inputs, span)


def metered(recipe: Recipe, rate_hz: float) -> Graph:
    """A graph that keeps its readings."""
    graph = Graph(recipe, rate_hz)
    graph.meter(True)
    return graph


class Ear:
    """What stands between the sound and the ear; it may change while the sound goes on."""

    def __init__(self, processor: Processor, rate_hz: float) -> None:
        self.listening = processor
        self._fade: Crossfade[Processor, Processor] = Crossfade(processor.fork(), rate_hz)

    def fork(self) -> Self:
        """A copy that goes on from the same state."""
        twin = twin_of(self)
        twin._fade = self._fade.fork()
        return twin

    @staticmethod
    def _make(wish: Processor, before: Processor) -> Processor:
        made = wish.fork()
        made.adopt(before)
        return made

    def change(self, processor: Processor) -> None:
        """Go to another setting."""
        if processor is not self.listening:
            self.listening = processor
            self._fade.change(processor, self._make)

    def process(self, block: Block) -> Block:
        """Next (2, frames); the input stays as it is."""
        parts = []
        for piece, ramp in self._fade.pieces(block.shape[1], self._make):
            after = self._fade.now.process(block[:, piece].copy())
            old = self._fade.old
            if ramp is not None and old is not None:
                after = blended(old.process(block[:, piece].copy()), after, ramp)
            parts.append(after)
        return parts[0] if len(parts) == 1 else np.concatenate(parts, axis=1)


class RenderPath:
    """A :class:`Piece` under way. Forks with all its state."""

    def __init__(self, take: Take, rate_hz: int, ear: Processor) -> None:
        self.rate_hz = rate_hz
        self._fade: Crossfade[Take, Take] = Crossfade(take, rate_hz)
        self.ear = Ear(ear, rate_hz)
        self.meter = LiveMeter(rate_hz)
        # of what was rendered last, whichever twin did it
        self.spectrum = LiveSpectrum(rate_hz)
        self._series: dict[str, Series] = {}

    @classmethod
    def of(cls, piece: Piece, rate_hz: int, ear: Processor) -> Self:
        """A piece that has not heard anything yet."""
        return cls(Take(piece, metered(piece.recipe, rate_hz)), rate_hz, ear)

    @property
    def piece(self) -> Piece:
        """What plays."""
        return self._fade.now.piece

    @property
    def graph(self) -> Graph:
        """Its recipe at work."""
        return self._fade.now.graph

    def fork(self) -> Self:
        """A copy that goes on from the same state."""
        twin = twin_of(self)
        twin._fade, twin.ear, twin.meter = self._fade.fork(), self.ear.fork(), self.meter.fork()
        twin._series = {name: series.fork() for name, series in self._series.items()}
        return twin

    def preroll(self, song: Timeline, position: int, most_s: float = MOST_PREROLL_S) -> float:
        """Let the graph hear the song, from as long before as it remembers, up to where it gives ``position`` next.

        Returns:
            Computing time in seconds that a frame took.
        """
        clock, graph = self.piece.timeline or song, self.graph
        seconds = min(max(graph.memory_s, PREROLL_S), most_s)
        before = min(round(seconds * self.rate_hz), max(clock.song_at(position), 0))
        at, end = position - before - graph.delay, position
        least = round(PREROLL_S * self.rate_hz) + graph.delay
        graph.meter(False)
        graph.sleep(end - at, least)
        large = LARGE_BLOCKS * block_frames(self.rate_hz)
        began, quickest = time.thread_time(), math.inf
        while at < end:
            # the last of it is metered, as far as it is still to be heard
            if end - at <= least:
                graph.meter(True)
            run = min(large, end - at)
            entered = time.thread_time()
            self._hear(song, at, run)
            at += run
            pace = (time.thread_time() - entered) / run
            if run == large:
                # shorter pieces tell nothing of how quick the chain is, nor does one that waits for a kernel to load
                quickest = min(quickest, pace)
            spent = time.thread_time() - began
            affordable = max(PREROLL_WORK_S - spent, 0.0) / max(pace, 1e-12)
            # too slow for all of it: leave out the middle, and hear the last second whatever it takes
            reachable = end - max(round(affordable), least)
            if reachable > at:
                at = reachable
                graph.sleep(end - at, least)
        graph.meter(True)
        return quickest if quickest < math.inf else 0.0

    def advance(self, song: Timeline, start: int, end: int) -> None:
        """Go on from one stream frame to another, which nobody hears."""
        while start < end:
            run = min(LARGE_BLOCKS * block_frames(self.rate_hz), end - start)
            self._hear(song, start, run)
            start += run

    def _hear(self, song: Timeline, position: int, frames: int) -> Block:
        block = self._fade.now.render(song, position, frames)
        for name, reading in self.graph.readings().items():
            series = self._series.setdefault(name, Series())
            series.add(reading)
            series.forget(position // METER_HOP)
        return block

    def render(self, song: Timeline, position: int, frames: int) -> Block:
        """The next (2, frames) as they leave the graph; the ear comes after."""
        parts = []
        for piece, ramp in self._fade.pieces(frames, _made):
            at, run = position + piece.start, piece.stop - piece.start
            after = self._hear(song, at, run)
            old = self._fade.old
            parts.append(after if ramp is None or old is None else blended(old.render(song, at, run), after, ramp))
        return parts[0] if len(parts) == 1 else np.concatenate(parts, axis=1)

    def gauge(self, block: Block) -> dict[str, Any]:
        """What the gauges show of a rendered block, its spectrum among it."""
        block = np.ascontiguousarray(block)
        self.spectrum.feed(block)
        return {**self.meter.feed(block), "spectrum": self.spectrum.levels_db()}

    def readings(self, position: int, frames: int) -> dict[str, Any]:
        """Id of a stage or a bus → what was read of the sound that is heard in a stretch, by name."""
        first, last = position // METER_HOP, -(-(position + frames) // METER_HOP)
        told = {}
        for name in (
            *(s.stage.id for s in self.graph.nodes()),
            *(chain_node.owner.id for chain_node in self.graph.chain_nodes()),
        ):
            if name in self._series:
                rows = self._series[name].between(first, last - first)
                told[name] = {row: values.astype(np.float32) for row, values in rows.items()}
        return told

    # ---- another sound

    def change(self, recipe: Recipe, silent: frozenset[str]) -> None:
        """Go to another setting of the same structure and delays."""
        take = self._fade.now
        take.graph.change(recipe)
        take.graph.silence(silent)
        take.piece = Piece(recipe, take.piece.sources, take.piece.timeline)

    def becomes(self, other: RenderPath) -> None:
        """Fade to what another render path plays, which is where this one is; the ear and the meters stay."""
        self._fade.change(other._fade.now, _made)
        self._series = other._series

    def going_on(self, take: Take) -> Self:
        """Another take in this one's place, with what was read so far."""
        twin = self.fork()
        twin._fade = Crossfade(take, self.rate_hz)
        return twin

    def switch(self, piece: Piece, song: Timeline, position: int) -> None:
        """Fade to something else altogether, which has heard a second of what came before."""
        made = RenderPath.of(piece, self.rate_hz, PassThrough())
        made.preroll(song, position, PREROLL_S)
        self.becomes(made)


def _made(wish: Take, _before: Take) -> Take:
    return wish
