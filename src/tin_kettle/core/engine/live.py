"""Live audition: the graph a little ahead of the ear, rewound and rendered again when a control moves.

The engine keeps the graph's state at every block that it gave away. A change comes with the position that is
being heard; the state a little after it is taken up again with the new values, and the player overwrites what
it has not played yet. No sockets and no threads here.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

import numpy as np

from tin_kettle.core.engine.graph import Graph
from tin_kettle.core.engine.offline import song_frames, song_rate
from tin_kettle.core.engine.slot import FADE_MS, Tap, fade_in
from tin_kettle.core.engine.source import Source
from tin_kettle.core.engine.timeline import Timeline
from tin_kettle.core.measure.live import SPECTRUM_FRAMES, LiveMeter, spectrum_db
from tin_kettle.core.recipe.model import Recipe
from tin_kettle.core.stages.processor import Block

BLOCK_FRAMES = 1024
AHEAD_MS = 30.0
"""A change is applied no earlier than this after the position heard, so that it arrives in time."""
PREROLL_S = 1.0
"""How much of the song before a new start is run through the chain, so that it sounds as if it had been playing."""
KEPT_BLOCKS = 64
SPECTRUM_EVERY = 2
SHORTEST_LOOP_FRAMES = 64


@dataclass(frozen=True)
class Played:
    """A block for the ear, with the meters that belong to it.

    Args:
        position: stream frame of the first sample; a later block at the same position replaces this one.
        song: song frame there.
        now, received: (2, frames).
        meters: see :meth:`Audition.render`.
    """

    epoch: int
    position: int
    song: int
    revision: int
    now: Block
    received: Block
    meters: dict[str, Any]


@dataclass
class _Moment:
    """All that moves, before the block at ``position``."""

    position: int
    graph: Graph
    old: Graph | None
    faded: int
    now_meter: LiveMeter
    received_meter: LiveMeter

    def fork(self) -> _Moment:
        return _Moment(
            self.position,
            self.graph.fork(),
            self.old.fork() if self.old else None,
            self.faded,
            self.now_meter.fork(),
            self.received_meter.fork(),
        )


class Audition:
    """One song being listened to.

    Args:
        recipe: what *now* sounds like; ``revision`` names it in the blocks.
        sources: bus id → source, all at one rate.
    """

    def __init__(self, recipe: Recipe, sources: Mapping[str, Source], revision: int = 0) -> None:
        self.rate_hz = song_rate(recipe, sources)
        self.frames = song_frames(sources)
        self.epoch = 0
        self._sources = dict(sources)
        self._recipe = recipe
        self._revision = revision
        self._tap: tuple[str | None, Tap] = (None, "result")
        self._timeline = Timeline()
        self._fade = max(round(FADE_MS * self.rate_hz / 1000.0), 1)
        self._kept: list[_Moment] = []
        self._heard_now = np.zeros((2, SPECTRUM_FRAMES))
        self._heard_received = np.zeros((2, SPECTRUM_FRAMES))
        self._count = 0
        self._at = self._start(0)

    @property
    def position(self) -> int:
        """Stream frame of the next block."""
        return self._at.position

    @property
    def loop(self) -> tuple[int, int] | None:
        """The loop in song frames."""
        return self._timeline.loop

    def song_at(self, position: int) -> int:
        """Song frame at a stream frame."""
        return self._timeline.song_at(position)

    def _start(self, position: int) -> _Moment:
        meters = LiveMeter(self.rate_hz), LiveMeter(self.rate_hz)
        return _Moment(position, self._prerolled(self._new_graph(), position), None, 0, *meters)

    def _new_graph(self) -> Graph:
        graph = Graph(self._recipe, self.rate_hz)
        graph.meter(True)
        graph.tap(*self._tap)
        return graph

    def _prerolled(self, graph: Graph, position: int) -> Graph:
        """The graph after it heard the song up to where it has to be to give ``position`` next."""
        before = min(round(PREROLL_S * self.rate_hz), max(self._timeline.song_at(position), 0))
        end = position + graph.delay
        for start in range(position - before, end, BLOCK_FRAMES):
            graph.process(self._inputs(start, min(BLOCK_FRAMES, end - start)))
        return graph

    def _inputs(self, start: int, frames: int) -> dict[str, Block]:
        """What every bus feeds between two stream frames."""
        runs = list(self._timeline.pieces(start, frames))
        return {
            bus_id: np.concatenate([source.read(at, run) for at, run in runs], axis=1)
            for bus_id, source in self._sources.items()
        }

    def render(self, frames: int = BLOCK_FRAMES) -> Played:
        """The next block. Meters: ``now`` and ``received`` gauges with a spectrum now and then, ``stages`` readings."""
        self._kept.append(self._at.fork())
        del self._kept[:-KEPT_BLOCKS]
        at = self._at
        position = at.position
        now = at.graph.process(self._inputs(position + at.graph.delay, frames))
        if at.old is not None:
            run = min(self._fade - at.faded, frames)
            before = at.old.process(self._inputs(position + at.old.delay, run))
            ramp = fade_in(at.faded, run, self._fade)
            now[:, :run] = before + ramp * (now[:, :run] - before)
            at.faded += run
            if at.faded >= self._fade:
                at.old = None
        received = sum(self._inputs(position, frames).values(), start=np.zeros((2, frames)))
        at.position += frames
        return Played(
            self.epoch,
            position,
            self._timeline.song_at(position),
            self._revision,
            now,
            received,
            self._meters(now, received),
        )

    def _meters(self, now: Block, received: Block) -> dict[str, Any]:
        at = self._at
        meters: dict[str, Any] = {
            "now": at.now_meter.feed(now),
            "received": at.received_meter.feed(received),
            "stages": {
                slot.stage.id: {
                    "input_db": slot.reading.input_db.astype(np.float32),
                    "heard_db": slot.reading.heard_db.astype(np.float32),
                    "effort_db": slot.reading.effort_db.astype(np.float32),
                }
                for slot in at.graph.slots()
                if slot.reading is not None
            },
        }
        self._heard_now = np.concatenate([self._heard_now, now], axis=1)[:, -SPECTRUM_FRAMES:]
        self._heard_received = np.concatenate([self._heard_received, received], axis=1)[:, -SPECTRUM_FRAMES:]
        self._count += 1
        if self._count % SPECTRUM_EVERY == 0:
            meters["now"]["spectrum_db"] = spectrum_db(self._heard_now, self.rate_hz)
            meters["received"]["spectrum_db"] = spectrum_db(self._heard_received, self.rate_hz)
        return meters

    def running_lufs(self) -> tuple[float | None, float | None]:
        """Loudness of received and now over the last half minute."""
        return self._at.received_meter.running_lufs(), self._at.now_meter.running_lufs()

    def _rewind(self, heard: int) -> None:
        """Go back to the first kept state that the ear has not reached."""
        earliest = heard + round(AHEAD_MS * self.rate_hz / 1000.0)
        for index, moment in enumerate(self._kept):
            if moment.position >= earliest:
                self._at = moment.fork()
                del self._kept[index:]
                return

    def change(self, recipe: Recipe, revision: int, heard: int) -> None:
        """Let *now* become another recipe, from just after the stream frame that is being heard.

        Raises:
            RecipeError: the recipe does not go with the song's rate or buses; nothing has changed then.
        """
        if song_rate(recipe, self._sources) != self.rate_hz:  # pragma: no cover  sources never change their rate
            return
        if recipe == self._recipe:
            self._revision = revision
            return
        trial = Graph(recipe, self.rate_hz)
        self._rewind(heard)
        self._recipe, self._revision = recipe, revision
        if self._at.graph.change(recipe):
            return
        old = self._at.graph
        graph = self._new_graph()
        if trial.delay != old.delay or not graph.adopt(old):
            graph = self._prerolled(graph, self._at.position)
        self._switch(old, graph)

    def listen(self, stage_id: str | None, tap: Tap, heard: int) -> None:
        """Hear the result, or what a stage removes or listens to, from just after the frame that is being heard."""
        if (stage_id, tap) == self._tap:
            return
        self._rewind(heard)
        self._tap = (stage_id, tap)
        graph = self._at.graph.fork()
        graph.tap(stage_id, tap)
        self._switch(self._at.graph, graph)

    def _switch(self, old: Graph, graph: Graph) -> None:
        # the new road's delay lines still hold what the old one fed them: let that pass before it is heard
        self._at.old, self._at.graph, self._at.faded = old, graph, -graph.delay

    def seek(self, song: int) -> None:
        """Go on from another song frame, in a new epoch: what was sent before is void."""
        self._restart(min(max(song, 0), self.frames), self._timeline.loop)

    def _restart(self, song: int, loop: tuple[int, int] | None) -> None:
        position = self._at.position
        self.epoch += 1
        self._kept.clear()
        self._timeline = Timeline(position, song, loop)
        self._at = self._start(position)

    def set_loop(self, loop: tuple[int, int] | None, heard: int) -> None:
        """Repeat a passage (start, end in song frames) or play on.

        Inside the passage the sound goes on and wraps at its end; outside, it starts at the passage's start.
        """
        if loop is not None:
            start, end = max(loop[0], 0), min(loop[1], self.frames)
            loop = (start, end) if end - start >= SHORTEST_LOOP_FRAMES else None
        if loop == self._timeline.loop:
            return
        if loop is not None and not loop[0] <= self._timeline.song_at(heard) < loop[1]:
            self._restart(loop[0], loop)
            return
        self._rewind(heard)
        at = self._timeline.song_at(self._at.position)
        if loop is not None and not loop[0] <= at < loop[1]:
            self._restart(loop[0], loop)
            return
        if loop is not None and at + self._at.graph.delay >= loop[1]:
            # the chain has been fed beyond the new end already
            self._restart(at, loop)
            return
        self._timeline = self._timeline.moved(self._at.position, loop)
