"""Live audition: the graph a little ahead of the ear, rewound and rendered again when a control moves.

Two roads run side by side, *now* and the *other* that it is compared with. The engine keeps their state at every
block that it gave away. A change comes with the position that is being heard; the state a little after it is taken up
again with the new values, and the player overwrites what it has not played yet. No sockets and no threads here.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

import numpy as np

from tin_kettle.core.engine.graph import Graph
from tin_kettle.core.engine.offline import song_frames, song_rate
from tin_kettle.core.engine.road import BLOCK_FRAMES, Piece, Road, plain_recipe
from tin_kettle.core.engine.slot import Tap
from tin_kettle.core.engine.source import Source
from tin_kettle.core.engine.timeline import Timeline
from tin_kettle.core.measure.live_spectrum import LiveSpectrum
from tin_kettle.core.recipe.model import Recipe
from tin_kettle.core.stages.processor import Block, Processor

AHEAD_MS = 30.0
"""A change is applied no earlier than this after the position heard, so that it arrives in time."""
KEPT_BLOCKS = 64
SPECTRUM_EVERY = 2
SHORTEST_LOOP_FRAMES = 64


class PlainEar(Processor):
    """Hears what there is."""

    def process(self, block: Block) -> Block:
        return block


@dataclass(frozen=True)
class Played:
    """A block for the ear, with the meters that belong to it.

    Args:
        position: stream frame of the first sample; a later block at the same position replaces this one.
        song: song frame there.
        other_name: what the other road plays.
        now, other: (2, frames).
        meters: see :meth:`Audition.render`.
    """

    epoch: int
    position: int
    song: int
    revision: int
    other_name: str
    now: Block
    other: Block
    meters: dict[str, Any]


@dataclass
class _Moment:
    """All that moves, before the block at ``position``."""

    position: int
    now: Road
    other: Road

    def fork(self) -> _Moment:
        return _Moment(self.position, self.now.fork(), self.other.fork())


class Audition:
    """One song being listened to, at first beside itself as received.

    Args:
        recipe: what *now* sounds like; ``revision`` names it in the blocks.
        sources: bus id → source, all at one rate.
    """

    def __init__(self, recipe: Recipe, sources: Mapping[str, Source], revision: int = 0) -> None:
        self.rate_hz = song_rate(recipe, sources)
        self.frames = song_frames(sources)
        self.epoch = 0
        self.sources = dict(sources)
        self._recipe = recipe
        self._revision = revision
        self._tap: tuple[str | None, Tap] = (None, "result")
        self._ears: tuple[Processor, Processor] = (PlainEar(), PlainEar())
        self._silent: frozenset[str] = frozenset()
        self._other = Piece(plain_recipe(recipe), self.sources)
        self._other_name = "received"
        self._timeline = Timeline()
        self._kept: list[_Moment] = []
        self._spectra = LiveSpectrum(self.rate_hz), LiveSpectrum(self.rate_hz)
        self._count = 0
        self._at = self._start(0)

    @property
    def position(self) -> int:
        """Stream frame of the next block."""
        return self._at.position

    @property
    def recipe(self) -> Recipe:
        """What *now* sounds like."""
        return self._recipe

    @property
    def other_name(self) -> str:
        """What *now* is compared with."""
        return self._other_name

    @property
    def loop(self) -> tuple[int, int] | None:
        """The loop in song frames."""
        return self._timeline.loop

    def song_at(self, position: int) -> int:
        """Song frame at a stream frame."""
        return self._timeline.song_at(position)

    def _start(self, position: int) -> _Moment:
        now = Road(Piece(self._recipe, self.sources), self.rate_hz, self._ears[0].fork())
        now.graph.tap(*self._tap)
        now.graph.silence(self._silent)
        other = Road(self._other, self.rate_hz, self._ears[1].fork())
        for road in (now, other):
            road.preroll(self._timeline, position)
        return _Moment(position, now, other)

    def render(self, frames: int = BLOCK_FRAMES) -> Played:
        """The next block. Meters: ``now`` and ``other`` gauges with a spectrum now and then, ``stages`` readings."""
        self._kept.append(self._at.fork())
        del self._kept[:-KEPT_BLOCKS]
        at = self._at
        position = at.position
        now = at.now.render(self._timeline, position, frames)
        other = at.other.render(self._timeline, position, frames)
        at.position += frames
        meters = self._meters(now, other)
        heard_now, heard_other = at.now.ear.process(now), at.other.ear.process(other)
        for name, heard in (("now", heard_now), ("other", heard_other)):
            meters[name]["clips"] = bool(np.abs(heard).max() > 1.0)
        song = self._timeline.song_at(position)
        name = self._other_name
        return Played(self.epoch, position, song, self._revision, name, heard_now, heard_other, meters)

    def _meters(self, now: Block, other: Block) -> dict[str, Any]:
        at = self._at
        meters: dict[str, Any] = {
            "now": at.now.meter.feed(now),
            "other": at.other.meter.feed(other),
            "stages": {
                slot.stage.id: {
                    "input_db": slot.reading.input_db.astype(np.float32),
                    "heard_db": slot.reading.heard_db.astype(np.float32),
                    "effort_db": slot.reading.effort_db.astype(np.float32),
                }
                for slot in at.now.graph.slots()
                if slot.reading is not None
            },
        }
        self._count += 1
        for spectrum, name, block in zip(self._spectra, ("now", "other"), (now, other), strict=True):
            spectrum.feed(block)
            if self._count % SPECTRUM_EVERY == 0:
                meters[name]["spectrum"] = spectrum.levels_db()
        return meters

    def running_lufs(self) -> tuple[float | None, float | None]:
        """Loudness of the other and of now over the last half minute."""
        return self._at.other.meter.running_lufs(), self._at.now.meter.running_lufs()

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
        song_rate(recipe, self.sources)
        if recipe == self._recipe:
            self._revision = revision
            return
        Graph(recipe, self.rate_hz)
        self._rewind(heard)
        self._recipe, self._revision = recipe, revision
        self._at.now.change(recipe, self._timeline, self._at.position)
        # a stage that is new has to learn whether it is tapped
        self._at.now.graph.tap(*self._tap)

    def compare(self, name: str, piece: Piece | None, heard: int) -> None:
        """Put something else beside *now*: a piece, or the song as received.

        Raises:
            RecipeError, AudioError: it cannot be played at the song's rate; nothing has changed then.
        """
        piece = piece or Piece(plain_recipe(self._recipe), self.sources)
        if name == self._other_name and piece.recipe == self._other.recipe:
            return
        Graph(piece.recipe, self.rate_hz)
        if song_rate(piece.recipe, piece.sources) != self.rate_hz:  # pragma: no cover  converted when it was opened
            return
        self._rewind(heard)
        at = self._at
        if piece.timeline is not None:
            piece = Piece(piece.recipe, piece.sources, piece.timeline.starting(at.position))
        similar = piece.sources is self._other.sources and piece.timeline is self._other.timeline
        if similar and name == self._other_name:
            at.other.change(piece.recipe, self._timeline, at.position)
        else:
            at.other.switch(piece, self._timeline, at.position)
        self._other, self._other_name = piece, name

    def tap(self, stage_id: str | None, tap: Tap, heard: int) -> None:
        """Hear the result, or what a stage removes or listens to, from just after the frame that is being heard."""
        if (stage_id, tap) == self._tap:
            return
        self._rewind(heard)
        self._tap = (stage_id, tap)
        graph = self._at.now.graph.fork()
        graph.tap(stage_id, tap)
        self._at.now.retap(graph)

    def listen(self, now: Processor, other: Processor, silent: frozenset[str], heard: int) -> None:
        """Hear both through other ears, and some buses not at all, from just after the frame that is being heard."""
        self._rewind(heard)
        self._ears, self._silent = (now, other), silent
        for road, ear in ((self._at.now, now), (self._at.other, other)):
            road.ear.change(ear.fork())
        self._at.now.graph.silence(silent)

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
        delay = max(self._at.now.graph.delay, self._at.other.graph.delay)
        if loop is not None and at + delay >= loop[1]:
            # a chain has been fed beyond the new end already
            self._restart(at, loop)
            return
        self._timeline = self._timeline.moved(self._at.position, loop)
