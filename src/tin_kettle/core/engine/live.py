"""Live audition: the graph a little ahead of the ear, rewound and rendered again when a control moves.

Two roads run side by side, *now* and the *other* that it is compared with. The engine keeps their state at every
block that it gave away. A change comes with the position that is being heard; the state a little after it is taken up
again with the new values, and the player overwrites what it has not played yet. Where the chain is too heavy for that,
the loop is rendered ahead and played from memory (:mod:`ahead`). No sockets and no threads here.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from tin_kettle.core.engine.ahead import LONGEST_S, Ahead, Task
from tin_kettle.core.engine.graph import Graph
from tin_kettle.core.engine.offline import song_frames, song_rate
from tin_kettle.core.engine.road import Piece, Road, block_frames, plain_recipe
from tin_kettle.core.engine.slot import Tap, place
from tin_kettle.core.engine.source import Source
from tin_kettle.core.engine.spares import Spares
from tin_kettle.core.engine.timeline import Timeline
from tin_kettle.core.measure.live_spectrum import LiveSpectrum
from tin_kettle.core.recipe.model import Recipe
from tin_kettle.core.stages.processor import Block, Processor

AHEAD_MS = 20.0
"""A change is applied no earlier than this after the position heard, so that it arrives in time."""
SWITCH_AHEAD_MS = 12.0
"""The same for what needs no rendering beforehand."""
KEPT_BLOCKS = 64
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

    def look_back_from_here(self) -> None:
        """Both loudnesses are of the same passage, and of what is there now."""
        self.now.meter.look_back_from_here()
        self.other.meter.look_back_from_here()


class Audition:
    """One song being listened to, at first beside itself as received.

    Args:
        recipe: what *now* sounds like; ``revision`` names it in the blocks.
        sources: bus id → source, all at one rate.
    """

    def __init__(self, recipe: Recipe, sources: Mapping[str, Source], revision: int = 0) -> None:
        self.rate_hz = song_rate(recipe, sources)
        self.frames = song_frames(sources)
        self.block_frames = block_frames(self.rate_hz)
        self.epoch = 0
        self.sources = dict(sources)
        self._recipe = recipe
        self._revision = revision
        self._tap: tuple[str | None, Tap] = (None, "result")
        self._chosen: str | None = None
        self._ears: tuple[Processor, Processor] = (PlainEar(), PlainEar())
        self._silent: frozenset[str] = frozenset()
        self._other = Piece(plain_recipe(recipe), self.sources)
        self._other_name = "received"
        self._other_since = 0
        self._timeline = Timeline()
        self._kept: list[_Moment] = []
        self._detector = LiveSpectrum(self.rate_hz)
        self._spares = Spares(self.rate_hz)
        self._ahead: Ahead | None = None
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

    @property
    def ahead(self) -> Ahead | None:
        """The loop that is played from memory; None where the sound is rendered as it plays."""
        return self._ahead

    @property
    def can_play(self) -> bool:
        """Whether :meth:`render` has something to give."""
        return self._ahead is None or self._ahead.ready

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

    def render(self, frames: int | None = None) -> Played:
        """The next block, or less of it before the seam of a loop that was rendered ahead.

        Meters: ``now`` and ``other`` gauges with their spectra, ``stages`` readings, and in ``detector`` the spectrum
        of what the chosen stage listens to.
        """
        frames = frames or self.block_frames
        at = self._at
        position, song = at.position, self._timeline.song_at(at.position)
        if self._ahead is not None:
            played = self._play_ahead(self._ahead, position, song, frames)
        else:
            self._kept.append(at.fork())
            del self._kept[:-KEPT_BLOCKS]
            now = at.now.render(self._timeline, position, frames)
            other = at.other.render(self._timeline, position, frames)
            meters = {"now": at.now.gauge(now), "other": at.other.gauge(other), "stages": at.now.readings()}
            self._hear_detector(meters)
            played = Played(self.epoch, position, song, self._revision, self._other_name, now, other, meters)
        at.position += played.now.shape[1]
        heard_now, heard_other = at.now.ear.process(played.now), at.other.ear.process(played.other)
        for name, heard in (("now", heard_now), ("other", heard_other)):
            played.meters[name]["clips"] = bool(np.abs(heard).max() > 1.0)
        return replace(played, now=heard_now, other=heard_other)

    def _hear_detector(self, meters: dict[str, Any]) -> None:
        slot = next((slot for slot in self._at.now.graph.slots() if slot.stage.id == self._chosen), None)
        if slot is not None and slot.detector is not None:
            self._detector.feed(place(slot.detector, slot.stage.channels))
            meters["detector"] = self._detector.levels_db()

    def choose(self, stage_id: str | None) -> None:
        """Measure what one stage listens to."""
        if stage_id != self._chosen:
            self._chosen = stage_id
            self._detector = LiveSpectrum(self.rate_hz)

    def running_lufs(self) -> tuple[float | None, float | None]:
        """Loudness of the other and of now since one of them changed, or over the last half minute."""
        if self._ahead is not None:
            return self._ahead.running_lufs("other"), self._ahead.running_lufs("now")
        return self._at.other.meter.running_lufs(), self._at.now.meter.running_lufs()

    def _rewind(self, heard: int, ahead_ms: float = AHEAD_MS) -> None:
        """Go back to the first kept state that the ear has not reached."""
        earliest = heard + round(ahead_ms * self.rate_hz / 1000.0)
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
        if recipe != self._recipe:
            if self._ahead is not None:
                Graph(recipe, self.rate_hz)
            else:
                self._rewind(heard)
                self._at.now.change(recipe, self._timeline, self._at.position)
                self._at.look_back_from_here()
                # a stage that is new has to learn whether it is tapped
                self._at.now.graph.tap(*self._tap)
        self._recipe, self._revision = recipe, revision
        self._render_ahead()

    def compare(self, name: str, piece: Piece | None, heard: int) -> None:
        """Put something else beside *now*: a piece, or the song as received.

        Raises:
            RecipeError, AudioError: it cannot be played at the song's rate; nothing has changed then.
        """
        piece = piece or Piece(plain_recipe(self._recipe), self.sources)
        if name == self._other_name and piece.recipe == self._other.recipe and piece.passage == self._other.passage:
            return
        if not self._spares.has(name, piece):
            Graph(piece.recipe, self.rate_hz)
        if song_rate(piece.recipe, piece.sources) != self.rate_hz:  # pragma: no cover  converted when it was opened
            return
        if self._ahead is None:
            self._rewind(heard, SWITCH_AHEAD_MS)
        at = self._at
        if piece.timeline is not None:
            piece = Piece(piece.recipe, piece.sources, piece.timeline.starting(at.position))
        if self._ahead is None:
            self._put_beside(name, piece, heard)
            at.look_back_from_here()
        self._other, self._other_name, self._other_since = piece, name, at.position
        self._render_ahead()

    def _put_beside(self, name: str, piece: Piece, heard: int) -> None:
        at = self._at
        spare = self._spares.take(name, piece, self._timeline, at.position)
        if spare is not None:
            # the one that is left stays at hand, as it was when the ear was there
            before = [m for m in self._kept if self._other_since <= m.position <= heard]
            left = _Moment(at.position, at.now, at.other) if not before else before[-1].fork()
            at.other, spare.ear = spare, at.other.ear
            self._spares.give(self._other_name, left.other, left.position)
            return
        similar = piece.sources is self._other.sources and piece.timeline is self._other.timeline
        if similar and name == self._other_name:
            at.other.change(piece.recipe, self._timeline, at.position)
        else:
            at.other.switch(piece, self._timeline, at.position)

    def keep_at_hand(self, others: Mapping[str, Piece | None]) -> None:
        """Name what may be compared next; None stands for the song as received. :meth:`attend` keeps it ready."""
        received = Piece(plain_recipe(self._recipe), self.sources)
        self._spares.want({name: piece or received for name, piece in others.items() if name != "now"})

    def attend(self, heard: int) -> bool:
        """Do a little for what is kept at hand; False where nothing is left to do."""
        return self._ahead is None and self._spares.follow(self._timeline, heard, self._other_name)

    def tap(self, stage_id: str | None, tap: Tap, heard: int) -> None:
        """Hear the result, or what a stage removes or listens to, from just after the frame that is being heard."""
        if (stage_id, tap) == self._tap:
            return
        self._tap = (stage_id, tap)
        if self._ahead is None:
            self._rewind(heard)
            graph = self._at.now.graph.fork()
            graph.tap(stage_id, tap)
            self._at.now.retap(graph)
        self._render_ahead()

    def listen(self, now: Processor, other: Processor, silent: frozenset[str], heard: int) -> None:
        """Hear both through other ears, and some buses not at all, from just after the frame that is being heard."""
        if self._ahead is None:
            self._rewind(heard)
        self._ears, self._silent = (now, other), silent
        for road, ear in ((self._at.now, now), (self._at.other, other)):
            road.ear.change(ear.fork())
        self._at.now.graph.silence(silent)
        self._render_ahead()

    def seek(self, song: int) -> None:
        """Go on from another song frame, in a new epoch: what was sent before is void."""
        self._restart(min(max(song, 0), self.frames), self._timeline.loop)

    def _restart(self, song: int, loop: tuple[int, int] | None) -> None:
        position = self._at.position
        self.epoch += 1
        self._kept.clear()
        self._spares.restart()
        if self._ahead is not None and loop is not None and not loop[0] <= song < loop[1]:
            song = loop[0]
        moved, self._timeline = loop != self._timeline.loop, Timeline(position, song, loop)
        if self._ahead is None or not self._fits_ahead():
            self._ahead = None
            self._at = self._start(position)
        elif moved:
            self._ahead = Ahead(self.rate_hz)
        self._render_ahead()

    def set_loop(self, loop: tuple[int, int] | None, heard: int) -> None:
        """Repeat a passage (start, end in song frames) or play on.

        Inside the passage the sound goes on and wraps at its end; outside, it starts at the passage's start.
        """
        if loop is not None:
            start, end = max(loop[0], 0), min(loop[1], self.frames)
            loop = (start, end) if end - start >= SHORTEST_LOOP_FRAMES else None
        if loop == self._timeline.loop:
            return
        song = self._timeline.song_at(heard)
        outside = loop is not None and not loop[0] <= song < loop[1]
        if self._ahead is not None or outside:
            self._restart(loop[0] if loop is not None and outside else song, loop)
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
        self._spares.restart()

    # ---- from memory

    def _fits_ahead(self) -> bool:
        loop = self._timeline.loop
        return loop is not None and loop[1] - loop[0] <= LONGEST_S * self.rate_hz

    def go_ahead(self) -> bool:
        """Render the loop before it is played; False where there is none, or a long one."""
        if not self._fits_ahead():
            return False
        self._ahead = Ahead(self.rate_hz)
        self._render_ahead()
        return True

    def come_back(self) -> None:
        """Render as the sound plays again."""
        self._ahead = None
        self._kept.clear()
        self._at = self._start(self._at.position)

    def _render_ahead(self) -> None:
        loop = self._timeline.loop
        if self._ahead is None or loop is None:
            return
        self._ahead.want("now", Task(Piece(self._recipe, self.sources), loop, self._tap, self._silent), self._revision)
        clock = self._other.timeline
        plain = Piece(self._other.recipe, self._other.sources)
        other_loop = clock.loop if clock is not None and clock.loop is not None else loop
        self._ahead.want("other", Task(plain, other_loop), (self._other_name, clock))

    def work_ahead(self, heard: int) -> None:
        """Render a block of the loop; when it comes ready, it is played from just after the frame that is heard."""
        if self._ahead is not None and self._ahead.step() and self._ahead.ready:
            soon = heard + round(AHEAD_MS * self.rate_hz / 1000.0)
            self._at.position = min(self._at.position, max(soon, self._timeline.stream))

    def _play_ahead(self, ahead: Ahead, position: int, song: int, frames: int) -> Played:
        other_name, clock = ahead.label("other")
        beside = (clock or self._timeline).song_at(position)
        frames = min(frames, ahead.run_from("now", song), ahead.run_from("other", beside))
        now, gauge_now, readings = ahead.play("now", song, frames)
        other, gauge_other, _ = ahead.play("other", beside, frames)
        meters = {"now": gauge_now, "other": gauge_other, "stages": readings}
        return Played(self.epoch, position, song, ahead.label("now"), other_name, now, other, meters)
