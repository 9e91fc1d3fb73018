"""One of the things that are compared: a graph on its sources, what it fades from, its ear and its meters."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any, Self

import numpy as np

from tin_kettle.core.dsp.forking import twin_of
from tin_kettle.core.engine.fading import Fading, fade_frames, fade_in
from tin_kettle.core.engine.graph import Graph
from tin_kettle.core.engine.source import Source
from tin_kettle.core.engine.timeline import Timeline
from tin_kettle.core.measure.live import LiveMeter
from tin_kettle.core.measure.live_spectrum import LiveSpectrum
from tin_kettle.core.recipe.model import Bus, Recipe
from tin_kettle.core.stages.processor import Block, Processor

BLOCK_S = 1024 / 48000
LEAST_BLOCK_FRAMES = 256
PREROLL_S = 1.0
"""How much of the song before a new start is run through the chain, so that it sounds as if it had been playing."""


def block_frames(rate_hz: float) -> int:
    """How many frames are rendered at a time: about 21 ms whatever the rate, a power of two."""
    return max(LEAST_BLOCK_FRAMES, 1 << round(math.log2(BLOCK_S * rate_hz)))


def plain_recipe(recipe: Recipe) -> Recipe:
    """The same buses as they came: no stage, every fader at nought."""
    buses = tuple(Bus(id=bus.id, name=bus.name) for bus in recipe.buses)
    return Recipe(format="tin-kettle-recipe", version=1, buses=buses)


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


class Road:
    """A :class:`Piece` under way. Forks with all its state."""

    def __init__(self, piece: Piece, rate_hz: int, ear: Processor) -> None:
        self.piece = piece
        self.rate_hz = rate_hz
        self.graph = self.new_graph(piece.recipe)
        self.ear = Fading(ear, rate_hz)
        self.meter = LiveMeter(rate_hz)
        # of what was rendered last, whichever twin did it
        self.spectrum = LiveSpectrum(rate_hz)
        self._old: tuple[Piece, Graph] | None = None
        self._faded = 0
        self._fade = fade_frames(rate_hz)

    def new_graph(self, recipe: Recipe) -> Graph:
        """A graph that keeps its readings."""
        graph = Graph(recipe, self.rate_hz)
        graph.meter(True)
        return graph

    def fork(self) -> Self:
        """A copy that goes on from the same state."""
        twin = twin_of(self)
        twin.graph, twin.ear, twin.meter = self.graph.fork(), self.ear.fork(), self.meter.fork()
        twin._old = (self._old[0], self._old[1].fork()) if self._old else None
        return twin

    def inputs(self, song: Timeline, start: int, frames: int, piece: Piece | None = None) -> dict[str, Block]:
        """What every bus feeds between two stream frames."""
        piece = piece or self.piece
        runs = list((piece.timeline or song).pieces(start, frames))
        return {
            bus_id: np.concatenate([source.read(at, run) for at, run in runs], axis=1)
            for bus_id, source in piece.sources.items()
        }

    def preroll(self, song: Timeline, position: int, seconds: float = PREROLL_S) -> None:
        """Let the graph hear the song, from some seconds before, up to where it gives ``position`` next."""
        clock = self.piece.timeline or song
        before = min(round(seconds * self.rate_hz), max(clock.song_at(position), 0))
        end = position + self.graph.delay
        block = block_frames(self.rate_hz)
        for start in range(position - before, end, block):
            self.graph.process(self.inputs(song, start, min(block, end - start)))

    def render(self, song: Timeline, position: int, frames: int) -> Block:
        """The next (2, frames) as they leave the graph; the ear comes after."""
        out = self.graph.process(self.inputs(song, position + self.graph.delay, frames))
        if self._old is not None:
            piece, graph = self._old
            run = min(self._fade - self._faded, frames)
            before = graph.process(self.inputs(song, position + graph.delay, run, piece))
            ramp = fade_in(self._faded, run, self._fade)
            out[:, :run] = before + ramp * (out[:, :run] - before)
            self._faded += run
            if self._faded >= self._fade:
                self._old = None
        return out

    def gauge(self, block: Block) -> dict[str, Any]:
        """What the gauges show of a rendered block, its spectrum among it."""
        self.spectrum.feed(block)
        return {**self.meter.feed(block), "spectrum": self.spectrum.levels_db()}

    def readings(self) -> dict[str, Any]:
        """Stage id → levels and effort of the last block."""
        return {
            slot.stage.id: {
                "input_db": slot.reading.input_db.astype(np.float32),
                "heard_db": slot.reading.heard_db.astype(np.float32),
                "effort_db": slot.reading.effort_db.astype(np.float32),
            }
            for slot in self.graph.slots()
            if slot.reading is not None
        }

    def change(self, recipe: Recipe, song: Timeline, position: int) -> None:
        """Go to another recipe on the same sources.

        Raises:
            RecipeError: the recipe does not go with the rate; nothing has changed then.
        """
        before, piece = self.piece, Piece(recipe, self.piece.sources, self.piece.timeline)
        if self.graph.change(recipe):
            self.piece = piece
            return
        made = self.new_graph(recipe)
        self.piece, old, self.graph = piece, self.graph, made
        if self.graph.delay != old.delay or not self.graph.adopt(old):
            self.preroll(song, position)
        self._switch(before, old)

    def switch(self, piece: Piece, song: Timeline, position: int) -> None:
        """Go to something else altogether."""
        before, old = self.piece, self.graph
        self.piece, self.graph = piece, self.new_graph(piece.recipe)
        self.preroll(song, position)
        self._switch(before, old)
        self._faded = 0

    def retap(self, graph: Graph) -> None:
        """Go to a twin of the present graph with another tap."""
        old, self.graph = self.graph, graph
        self._switch(self.piece, old)

    def _switch(self, piece: Piece, old: Graph) -> None:
        # the new road's delay lines still hold what the old one fed them: let that pass before it is heard
        self._old, self._faded = (piece, old), -self.graph.delay
