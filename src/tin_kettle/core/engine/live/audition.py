"""Live audition: the graph a little ahead of the ear, rewound and rendered again when a control moves.

Two render paths run side by side, *now* and the *other* that it is compared with. The engine keeps their state before
every block that it gave away. A change comes with the position that is being heard; the state a little after it is
found again and brought to the new :class:`ListeningState`, and the player overwrites what it has not played yet. Where
the chain is too heavy for that, the loop is rendered ahead and played from memory (:mod:`loop_cache`). No sockets and
no threads here.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from typing import Any

import numpy as np

from tin_kettle.core.dsp.block import Block
from tin_kettle.core.dsp.timeline import Timeline
from tin_kettle.core.engine.graph.graph import NO_TAP
from tin_kettle.core.engine.graph.meters import METER_HOP
from tin_kettle.core.engine.live.checkpoint import Checkpoint, Played
from tin_kettle.core.engine.live.listening_state import ListeningState
from tin_kettle.core.engine.live.loop_cache import LONGEST_S, LoopCache, Task
from tin_kettle.core.engine.live.recipe_change import Setting, renew
from tin_kettle.core.engine.live.render_path import PassThrough, Piece, RenderPath, block_frames
from tin_kettle.core.engine.live.standby_paths import StandbyPaths
from tin_kettle.core.engine.offline import ringing_frames, song_frames, song_rate
from tin_kettle.core.engine.source import Source
from tin_kettle.core.errors import AudioError
from tin_kettle.core.measure.live_spectrum import LiveSpectrum
from tin_kettle.core.recipe.model import Recipe
from tin_kettle.core.recipe.reading import check_rate

AHEAD_MS = 20.0
"""A change is applied no earlier than this after the position heard, so that it arrives in time."""
SWITCH_AHEAD_MS = 12.0
"""The same for what needs no rendering beforehand."""
KEPT_BEHIND_S = 1.4
"""States of so long before the ear are kept: a change in front of a long delay begins from there."""
FAR_BLOCKS = 4
"""Where the ear is far away so many blocks are rendered at once, which costs less a frame, and only the state before
them is kept."""
SHORTEST_LOOP_FRAMES = 64
SPECTRA_A_BLOCK = 4
"""A look at a spectrum costs a sixtieth of a block's time; of more inside a stage each is measured every few blocks."""


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
        received = Piece(recipe.as_received(), self.sources)
        self.listening = ListeningState(recipe, revision, received, "received", (PassThrough(), PassThrough()))
        self._chosen: str | None = None
        self._timeline = Timeline()
        self._inside: dict[str, LiveSpectrum] = {}
        self._levels: dict[str, Any] = {}
        self._standby = StandbyPaths(self.rate_hz)
        self._fetched: tuple[str, int, RenderPath] | None = None
        self._loop_cache: LoopCache | None = None
        self._pace = 0.0
        self._start(0)

    @property
    def position(self) -> int:
        """Stream frame of the next block."""
        return self._at.position

    @property
    def recipe(self) -> Recipe:
        """What *now* sounds like."""
        return self.listening.recipe

    @property
    def other_name(self) -> str:
        """What *now* is compared with."""
        return self.listening.other_name

    @property
    def loop(self) -> tuple[int, int] | None:
        """The loop in song frames."""
        return self._timeline.loop

    @property
    def ahead(self) -> LoopCache | None:
        """The loop that is played from memory; None where the sound is rendered as it plays."""
        return self._loop_cache

    @property
    def can_play(self) -> bool:
        """Whether :meth:`render` has something to give."""
        return self._loop_cache is None or self._loop_cache.ready

    def song_at(self, position: int) -> int:
        """Song frame at a stream frame."""
        return self._timeline.song_at(position)

    def _start(self, position: int) -> None:
        """Begin anew at a stream frame with all that is wanted."""
        listening = self.listening
        now = RenderPath.of(Piece(listening.recipe, self.sources), self.rate_hz, listening.ears[0])
        now.graph.silence(listening.silent)
        now.graph.tap(*self._setting.tap)
        other = RenderPath.of(listening.other, self.rate_hz, listening.ears[1])
        self._pace = max(self._pace, *(render_path.preroll(self._timeline, position) for render_path in (now, other)))
        self._at = Checkpoint(position, now, other, listening.other_name)
        self._kept = [self._at.fork()]
        self._heard = position
        self._taken_up = False
        self._fetched = None

    @property
    def _setting(self) -> Setting:
        """What now is to sound like; a tap of a stage that is not there is none."""
        listening = self.listening
        stage, tap = listening.tap
        there = tap != "result" and stage is not None and listening.recipe.stage(stage) is not None
        return Setting(listening.recipe, listening.tap if there else NO_TAP, listening.silent)

    def render(self, frames: int | None = None) -> Played:
        """The next block, or less of it before the seam of a loop that was rendered ahead.

        Meters: ``now`` and ``other`` gauges with their spectra, ``stages`` readings, in ``inside`` the spectra of what
        the chosen stage lets one look at, in ``curves`` what it works by; ``tail`` is for how many frames the chain
        rings on after the song.
        """
        (played,) = self._render(frames or self.block_frames, 1, keep_frames=0)
        return played

    def render_far(self) -> list[Played]:
        """The next blocks, where the ear is so far away that no edit is waited for."""
        chosen = self._at.now.graph.node(self._chosen)
        # what is drawn of the chosen stage is looked at block by block
        count = FAR_BLOCKS if chosen is None or not chosen.curves() else 1
        return self._render(self.block_frames, count, keep_frames=FAR_BLOCKS * self.block_frames)

    def _render(self, frames: int, count: int, keep_frames: int) -> list[Played]:
        """So many blocks at once; the state after them is kept once it lies ``keep_frames`` behind the last one."""
        if self._loop_cache is not None:
            return [self._from_memory(self._loop_cache, frames)]
        at = self._at
        if self._taken_up:
            # what is given away from here on is the new sound: whoever comes back to here goes on from that
            self._kept[-1], self._taken_up = at.fork(), False
        position = at.position
        now = at.now.render(self._timeline, position, count * frames)
        other = at.other.render(self._timeline, position, count * frames)
        self._check_finite(now, other)
        heard_now, heard_other = at.now.ear.process(now), at.other.ear.process(other)
        graph = at.now.graph
        chosen = graph.node(self._chosen)
        inside, curves = ({}, {}) if chosen is None else (chosen.inside(), chosen.curves())
        tail = ringing_frames(graph)
        blocks = []
        for start in range(0, count * frames, frames):
            part, place = slice(start, start + frames), position + start
            meters: dict[str, Any] = {"now": at.now.gauge(now[:, part]), "other": at.other.gauge(other[:, part])}
            meters["stages"] = at.now.readings(place, frames)
            meters["inside"] = self._look_inside({name: block[:, part] for name, block in inside.items()})
            meters |= {"curves": curves, "tail": tail}
            blocks.append(self._played(place, at.other_name, heard_now[:, part], heard_other[:, part], meters))
        at.position += count * frames
        if at.position - self._kept[-1].position >= keep_frames:
            self._kept.append(at.fork())
        self._forget()
        return blocks

    def _from_memory(self, ahead: LoopCache, frames: int) -> Played:
        at = self._at
        now, other, other_name, meters = self._play_ahead(ahead, at.position, frames)
        position = at.position
        at.position += now.shape[1]
        return self._played(position, other_name, at.now.ear.process(now), at.other.ear.process(other), meters)

    def _played(self, position: int, other_name: str, now: Block, other: Block, meters: dict[str, Any]) -> Played:
        """A block as it is given away, ``now`` and ``other`` as they reach the ear."""
        for name, heard in (("now", now), ("other", other)):
            meters[name]["clips"] = bool(np.abs(heard).max() > 1.0)
        revision = self.listening.revision if self._loop_cache is None else self._loop_cache.label("now")
        song = self._timeline.song_at(position)
        return Played(self.epoch, position, song, revision, other_name, now, other, meters)

    def follow(self, heard: int) -> None:
        """Learn where the ear is: what lies long before it need not be kept."""
        self._heard = heard
        self._forget()

    def _forget(self) -> None:
        """Let go of states from long before the ear, but for the one that the first of the others goes on from."""
        oldest = self._heard - round(KEPT_BEHIND_S * self.rate_hz)
        while len(self._kept) > 1 and self._kept[1].position <= oldest:
            del self._kept[0]

    def _check_finite(self, now: Block, other: Block) -> None:
        """Refuse what is no sound, and go back to before it.

        Raises:
            AudioError: a sample is not finite.
        """
        at = self._at
        try:
            at.now.graph.check_finite(now)
            at.other.graph.check_finite(other)
        except AudioError:
            self._at = self._kept[-1].fork()
            raise

    def _look_inside(self, shown: Mapping[str, Block]) -> dict[str, Any]:
        for name, block in shown.items():
            if name not in self._inside:
                self._inside[name] = LiveSpectrum(self.rate_hz)
            self._inside[name].feed(np.ascontiguousarray(block))
        before = {name: levels for name, levels in self._levels.items() if name in shown}
        self._levels = {**{name: None for name in shown if name not in before}, **before}
        for _ in range(min(SPECTRA_A_BLOCK, len(shown))):
            # the one that waited longest comes next
            name = next(iter(self._levels))
            del self._levels[name]
            self._levels[name] = self._inside[name].levels_db()
        return {name: levels for name, levels in self._levels.items() if levels is not None}

    def choose(self, stage_id: str | None) -> None:
        """Measure the spectra inside one stage: what it listens to, what its branches give."""
        if stage_id != self._chosen:
            self._chosen = stage_id
            self._inside, self._levels = {}, {}

    def running_lufs(self) -> tuple[float | None, float | None]:
        """Loudness of the other and of now since one of them changed, or over the last half minute."""
        if self._loop_cache is not None:
            return self._loop_cache.running_lufs("other"), self._loop_cache.running_lufs("now")
        return self._at.other.meter.running_lufs(), self._at.now.meter.running_lufs()

    def near_lufs(self) -> tuple[float | None, float | None]:
        """The same of the last tenth of a second, across changes."""
        if self._loop_cache is not None:
            return self.running_lufs()
        return self._at.other.meter.near_lufs(), self._at.now.meter.near_lufs()

    # ---- what is wanted

    def want(self, listening: ListeningState, heard: int) -> None:
        """Hear something else, from just after the stream frame that is being heard.

        Raises:
            RecipeError, AudioError: it does not go with the song's rate or buses; nothing has changed then.
        """
        before = self.listening
        if listening == before:
            return
        if listening.recipe != before.recipe:
            self.check(listening.recipe)
        if listening.other != before.other:
            check_rate(listening.other.recipe, self.rate_hz)
        self.listening = listening
        if self._loop_cache is not None:
            for render_path, ear in zip((self._at.now, self._at.other), listening.ears, strict=True):
                render_path.ear.change(ear)
            if listening.other.timeline is not None and listening.other != before.other:
                begun = replace(listening.other, timeline=listening.other.timeline.starting(self._at.position))
                self.listening = replace(listening, other=begun)
            self._render_ahead()
            return
        sound = (listening.recipe, listening.tap, listening.silent, listening.ears) != (
            before.recipe,
            before.tap,
            before.silent,
            before.ears,
        )
        self._take_up(heard, AHEAD_MS if sound else SWITCH_AHEAD_MS)

    def check(self, recipe: Recipe) -> None:
        """Refuse a recipe that does not go with the song.

        Raises:
            RecipeError, AudioError: of its rate or its buses.
        """
        song_rate(recipe, self.sources)
        check_rate(recipe, self.rate_hz)

    def _take_up(self, heard: int, ahead_ms: float) -> None:
        """Go back to where the ear can still be met, to the hop of the meters, and bring that moment to what is wanted.

        The moment itself is kept as it was: until something of the new sound was given away, what comes next begins
        where this did.
        """
        self._heard = max(self._heard, heard)
        earliest = heard + round(ahead_ms * self.rate_hz / 1000.0) + self._replay_frames()
        earliest += -earliest % METER_HOP
        index = max((i for i, m in enumerate(self._kept) if m.position <= earliest), default=0)
        at = self._kept[index].fork()
        earliest = min(earliest, self._at.position)
        if at.position < earliest:
            # between two kept moments: up to there it is what it was
            at.go_on(self._timeline, earliest)
            self._kept.insert(index + 1, at.fork())
            index += 1
        del self._kept[index + 1 :]
        self._at, self._taken_up = at, True
        self._reconcile(at)

    def _replay_frames(self) -> int:
        """Frames that the ear goes on while a replay is computed, as far as the last one tells."""
        render_path = self._kept[-1].now
        if self._setting.is_of(render_path):
            return 0
        reach = render_path.graph.reach(self.listening.recipe, self.listening.silent)
        return round(self._pace * self.rate_hz * (render_path.graph.delay if reach is None else reach))

    def _reconcile(self, at: Checkpoint) -> None:
        """Bring a moment that is taken up again to all that is wanted."""
        listening, changed = self.listening, False
        if not self._setting.is_of(at.now):
            self._renew(at.now, [(m.position, m.now) for m in self._kept], self._setting, at.position)
            changed = True
        if at.other_name != listening.other_name or not listening.other.is_like(at.other.piece):
            self._put_beside(at)
            changed = True
        for render_path, ear in zip((at.now, at.other), listening.ears, strict=True):
            render_path.ear.change(ear)
        if changed:
            at.look_back_from_here()

    def _renew(
        self, render_path: RenderPath, earlier: list[tuple[int, RenderPath]], setting: Setting, position: int
    ) -> None:
        pace = renew(render_path, earlier, setting, self._timeline, position)
        self._pace = max(pace, 0.5 * (self._pace + pace)) if pace else self._pace

    def _put_beside(self, at: Checkpoint) -> None:
        name, piece = self.listening.other_name, self.listening.other
        if piece.timeline is not None:
            piece = replace(piece, timeline=piece.timeline.starting(at.position))
        spare = self._spare(name, piece, at.position)
        if spare is not None:
            # the one that is left stays at hand, as it was when the ear was there
            self._standby.give(at.other_name, at.other.fork(), at.position)
            spare.ear, spare.meter = at.other.ear, at.other.meter
            at.other = spare
        elif name == at.other_name and piece.sources is at.other.piece.sources and piece.timeline is None:
            setting = Setting(piece.recipe, NO_TAP, frozenset())
            self._renew(at.other, [(m.position, m.other) for m in self._kept], setting, at.position)
        else:
            at.other.switch(piece, self._timeline, at.position)
        at.other_name = name
        self.listening = replace(self.listening, other=piece)

    def _spare(self, name: str, piece: Piece, position: int) -> RenderPath | None:
        """What is at hand of that name; it may be asked for again at the same place."""
        if self._fetched is not None and self._fetched[:2] == (name, position) and self._fetched[2].piece == piece:
            return self._fetched[2].fork()
        spare = self._standby.take(name, piece, self._timeline, position)
        self._fetched = None if spare is None else (name, position, spare.fork())
        return spare

    def comparing(self, listening: ListeningState, name: str, piece: Piece | None) -> ListeningState:
        """What is wanted, beside something else."""
        found = piece or Piece(listening.recipe.as_received(), self.sources)
        same = name == listening.other_name and found.is_like(listening.other)
        return listening if same else replace(listening, other=found, other_name=name)

    def keep_at_hand(self, others: Mapping[str, Piece | None]) -> None:
        """Name what may be compared next; None stands for the song as received. :meth:`attend` keeps it ready."""
        received = Piece(self.listening.recipe.as_received(), self.sources)
        self._standby.want({name: piece or received for name, piece in others.items() if name != "now"})

    def attend(self, heard: int) -> bool:
        """Do a little for what is kept at hand; False where nothing is left to do."""
        return self._loop_cache is None and self._standby.follow(self._timeline, heard, self.listening.other_name)

    # ---- elsewhere in the song

    def seek(self, song: int) -> None:
        """Go on from another song frame, in a new epoch: what was sent before is void."""
        self._restart(min(max(song, 0), self.frames), self._timeline.loop)

    def _restart(self, song: int, loop: tuple[int, int] | None) -> None:
        position = self._at.position
        self.epoch += 1
        self._standby.restart()
        if self._loop_cache is not None and loop is not None and not loop[0] <= song < loop[1]:
            song = loop[0]
        moved, self._timeline = loop != self._timeline.loop, Timeline(position, song, loop)
        if self._loop_cache is None or not self._fits_ahead():
            self._loop_cache = None
            self._start(position)
        elif moved:
            self._loop_cache = LoopCache(self.rate_hz)
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
        if self._loop_cache is not None or outside:
            self._restart(loop[0] if loop is not None and outside else song, loop)
            return
        self._take_up(heard, AHEAD_MS)
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
        self._standby.restart()

    # ---- from memory

    def _fits_ahead(self) -> bool:
        loop = self._timeline.loop
        return loop is not None and loop[1] - loop[0] <= LONGEST_S * self.rate_hz

    def go_ahead(self) -> bool:
        """Render the loop before it is played; False where there is none, or a long one."""
        if not self._fits_ahead():
            return False
        self._loop_cache = LoopCache(self.rate_hz)
        self._render_ahead()
        return True

    def come_back(self) -> None:
        """Render as the sound plays again."""
        self._loop_cache = None
        self._start(self._at.position)

    def _render_ahead(self) -> None:
        loop = self._timeline.loop
        if self._loop_cache is None or loop is None:
            return
        listening, piece = self.listening, Piece(self.listening.recipe, self.sources)
        self._loop_cache.want("now", Task(piece, loop, self._setting.tap, listening.silent), listening.revision)
        clock = listening.other.timeline
        plain = Piece(listening.other.recipe, listening.other.sources)
        other_loop = clock.loop if clock is not None and clock.loop is not None else loop
        self._loop_cache.want("other", Task(plain, other_loop), (listening.other_name, clock))

    def work_ahead(self, heard: int) -> None:
        """Render a block of the loop; when it comes ready, it is played from just after the frame that is heard."""
        if self._loop_cache is not None and self._loop_cache.step() and self._loop_cache.ready:
            soon = heard + round(AHEAD_MS * self.rate_hz / 1000.0)
            self._at.position = min(self._at.position, max(soon, self._timeline.stream))

    def _play_ahead(self, ahead: LoopCache, position: int, frames: int) -> tuple[Block, Block, str, dict[str, Any]]:
        """Now, the other and its name, and the meters of a piece of the rendered loop."""
        song = self._timeline.song_at(position)
        other_name, clock = ahead.label("other")
        beside = (clock or self._timeline).song_at(position)
        frames = min(frames, ahead.run_from("now", song), ahead.run_from("other", beside))
        now, gauge_now, readings = ahead.play("now", song, frames)
        other, gauge_other, _ = ahead.play("other", beside, frames)
        meters = {"now": gauge_now, "other": gauge_other, "stages": readings, "inside": {}, "tail": 0}
        return now, other, other_name, meters
