"""A stage's place in a chain: alignment, keys, crossfaded changes, readings. Stages never write any of this again."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from typing import Protocol, Self

import numpy as np

from tin_kettle.core.dsp.block import Block
from tin_kettle.core.dsp.delay import DelayLine, History
from tin_kettle.core.dsp.state_copy import twin_of
from tin_kettle.core.dsp.summing import summed
from tin_kettle.core.dsp.timeline import Span, Timeline
from tin_kettle.core.engine.crossfade import Crossfade, blended
from tin_kettle.core.engine.graph.automation_values import AutomationValues, TargetAutomation
from tin_kettle.core.engine.graph.components import pick, place
from tin_kettle.core.engine.graph.meters import SILENT_DB, Reading, Row, is_effort, levels_db, series_db
from tin_kettle.core.engine.graph.stage_instance import StageInstance, Tap
from tin_kettle.core.engine.graph.traversal import Metered
from tin_kettle.core.recipe.automation import Value
from tin_kettle.core.stages.declarations import describe_params
from tin_kettle.core.stages.stage import Stage


def keys_of(stage: Stage, automation: AutomationValues) -> tuple[str, ...]:
    """Ids of the buses and groups that a stage's detector listens to; none where it is always off."""
    return stage.declared.keys(stage.params) if automation.automation.can_be_on(stage) else ()


def same_delay(stage: Stage, other: Stage) -> bool:
    """Whether two settings of one kind are as late as each other, whatever else differs."""
    names = [param["name"] for param in describe_params(type(stage.params)) if param["delays"]]
    return all(getattr(stage.params, name) == getattr(other.params, name) for name in names)


class Decaying(Protocol):
    """What remembers its input for a while, and rings on after it."""

    @property
    def memory_s(self) -> float:
        """How long ago still matters."""
        ...

    @property
    def tail_s(self) -> float:
        """How long it rings on."""
        ...


class StageNode:
    """A node for one stage. ``reading`` and ``tapped`` belong to the last block."""

    def __init__(self, stage: Stage, automation: AutomationValues, rate_hz: float) -> None:
        self._rate_hz = rate_hz
        self.stage = stage
        self._all_automation = automation
        self._automation = automation.of(stage.id)
        self._fade: Crossfade[StageInstance, Stage] = Crossfade(self._instance_of(stage), rate_hz)
        self._fresh = True
        self._undecided = bool(self._automation.switched)
        self._decay: tuple[float, float] | None = None
        self._decided: tuple[Value, ...] = ()
        self.tap: Tap = "result"
        self.metered = False
        self.tapped: Block | None = None
        self.detector: Block | None = None
        self.reading: Reading | None = None
        self.latency_frames = self._arrival_latency_frames = 0
        self._wait = DelayLine(0)
        self._keys: dict[str, DelayLine] = {}
        self._tapped_at: Mapping[str, int] = {}
        self._past = History(0)
        self._idle = 0
        self._last = Span(Timeline(), 0, 0)

    def _instance_of(self, stage: Stage) -> StageInstance:
        processor = stage.declared.build(stage.params, self._rate_hz)
        return StageInstance(stage, processor, stage.declared.crossovers_hz(stage.params), self._rate_hz)

    @property
    def id(self) -> str:
        """Of its stage."""
        return self.stage.id

    @property
    def instance(self) -> StageInstance:
        """The setting that it has or is coming to."""
        return self._fade.now

    @property
    def delay(self) -> int:
        """Frames between its input and its output: the wait for its keys and the setting's own."""
        return self._wait.frames + self.instance.delay

    @property
    def output_latency_frames(self) -> int:
        """Frames between the sources and its output."""
        return self.latency_frames + self.instance.delay

    @property
    def memory_s(self) -> float:
        """How long ago still matters to it, at the setting of automation that remembers longest."""
        return self._decay_s()[0]

    @property
    def tail_s(self) -> float:
        """How long it rings on, at the setting of automation that rings longest."""
        return self._decay_s()[1]

    def _decay_s(self) -> tuple[float, float]:
        """Memory and tail in seconds."""
        if not self._all_automation.automation.can_be_on(self.stage):
            return 0.0, 0.0
        if self._decay is None:
            self._decay = self._longest(lambda one: one.memory_s), self._longest(lambda one: one.tail_s)
        return self._decay

    def _longest(self, duration: Callable[[Decaying], float]) -> float:
        if not self._automation.moved:
            return duration(self.instance.processor)

        def measure(stage: Stage) -> float:
            return duration(stage.declared.build(stage.params, self._rate_hz))

        return measure(self._all_automation.automation.farthest(self.stage, measure))

    def align(self, latency_frames: int, tap_latencies: Mapping[str, int]) -> int:
        """Line up with the keys, where the sound and the taps come that many frames late.

        Returns:
            How late it leaves.
        """
        keys = keys_of(self.stage, self._all_automation)
        latest = max([latency_frames, *(tap_latencies[key] for key in keys)])
        self._arrival_latency_frames, self.latency_frames, self._tapped_at = latency_frames, latest, dict(tap_latencies)
        self._wait = DelayLine(latest - latency_frames)
        self._keys = {key: DelayLine(latest - tap_latencies[key]) for key in keys}
        self.instance.align(latest, tap_latencies)
        self._past = History(self.instance.processor.warm_frames)
        return self.output_latency_frames

    @property
    def is_unstable(self) -> bool:
        """Whether it remembers something that is no number."""
        states = self.instance.processor.state.values()
        return not all(np.isfinite(array).all() for array in states if array.dtype.kind == "f")

    def walk(self) -> Iterator[StageNode]:
        """Itself, then all that is inside."""
        yield self

    def parts(self) -> Iterator[Metered]:
        """Itself, and all stage nodes and branches inside."""
        yield self

    def inside(self) -> dict[str, Block]:
        """What one may look at of the last block beside input and output, (2, frames) by name."""
        return {} if self.detector is None else {"detector": place(self.detector, self.stage.channels)}

    def curves(self) -> dict[str, Row]:
        """What the stage works by at the moment, over frequency."""
        return self.instance.processor.curves() if self.stage.on else {}

    def fork(self) -> Self:
        """A copy that goes on from the same state."""
        twin = twin_of(self)
        twin._wait, twin._past = self._wait.fork(), self._past.fork()
        twin._keys = {key: line.fork() for key, line in self._keys.items()}
        twin._fade = self._fade.fork()
        return twin

    def adopt(self, other: StageNode) -> None:
        """Go on from the same stage's place in another graph, where its delay is the same.

        Where the sound is later here than there, what comes first was heard already: it is left out.
        """
        if other.stage.kind != self.stage.kind or other.instance.delay != self.instance.delay:
            return
        if self._wait.frames == other._wait.frames:
            self._wait = other._wait.fork()
        for key, line in self._keys.items():
            theirs = other._keys.get(key)
            if theirs is not None and theirs.frames == line.frames:
                self._keys[key] = theirs.fork()
        self._past, self._last = other._past.fork(), other._last
        self._past.frames = self.instance.processor.warm_frames
        self._idle = max(self._arrival_latency_frames - other._arrival_latency_frames, 0)
        self.tap, self.metered = other.tap, other.metered
        self._fresh = False
        if not self.instance.adopt(other.instance):
            self._warm(self.instance)

    def sleep(self, frames: int) -> None:
        """Leave out so many frames of what comes next: they do not matter to what is heard after them."""
        self._idle = max(frames, 0)

    def can_become(self, stage: Stage) -> bool:
        """Whether a setting has the same delay, so that :meth:`change` may go to it."""
        return same_delay(self.stage, stage)

    def rephased(self, stage: Stage, automation: AutomationValues) -> list[int]:
        """How late branches inside leave their chains whose all-passes :meth:`change` would change."""
        return []

    def differs(self, stage: Stage, automation: AutomationValues) -> bool:
        """Whether :meth:`change` would change its own sound."""
        return stage != self.stage or automation.of(stage.id).moved != self._automation.moved

    def change(self, stage: Stage, automation: AutomationValues) -> None:
        """Go to another setting of the same kind and delay within 10 ms; a fade under way is finished first."""
        self.stage, self._all_automation, self._automation = stage, automation, automation.of(stage.id)
        self._undecided, self._decay = True, None

    def _make(self, stage: Stage, before: StageInstance) -> StageInstance:
        instance = self._instance_of(stage)
        instance.align(self.latency_frames, self._tapped_at)
        if not instance.adopt(before):
            self._warm(instance)
        return instance

    def _warm(self, instance: StageInstance) -> None:
        """Let a setting hear what went by, so that it does not begin from silence."""
        past = self._past.heard()
        if past.shape[1]:
            before = self._last.part(self._last.frames - past.shape[1], past.shape[1])
            nothing = np.zeros_like(past)
            still, taps = TargetAutomation((), self._rate_hz), dict.fromkeys(self._tapped_at, nothing)
            instance.process(past, before, still, "result", nothing if self._keys else None, taps, History(0))

    def _decide(self, song: int) -> None:
        """Go to what is wanted at a song frame."""
        coming = self._automation.coming(song)
        if coming == self._decided and not self._undecided:
            return
        self._decided, self._undecided = coming, False
        wanted = self._automation.setting(self.stage, song)
        if wanted == self.instance.stage:
            self._fade.stay()
        elif self._fresh:
            self._fade = Crossfade(self._instance_of(wanted), self._rate_hz)
            self.instance.align(self.latency_frames, self._tapped_at)
        else:
            self._fade.change(wanted, self._make)

    def process(self, block: Block, span: Span, taps: Mapping[str, Block]) -> Block:
        """Next block, (2, frames)."""
        if self._idle:
            skipped = min(self._idle, block.shape[1])
            self._idle -= skipped
            nothing = np.zeros((2, skipped))
            self.reading = self.detector = None
            self.tapped = nothing if self.tap != "result" else None
            if skipped == block.shape[1]:
                return nothing
            rest = span.part(skipped, span.frames - skipped)
            out = self.process(block[:, skipped:], rest, {name: tap[:, skipped:] for name, tap in taps.items()})
            if self.tapped is not None:
                self.tapped = np.concatenate([nothing, self.tapped], axis=1)
            return np.concatenate([nothing, out], axis=1)
        block = self._wait.push(block)
        key = None
        if self._keys:
            key = summed([np.ascontiguousarray(line.push(taps[name])) for name, line in self._keys.items()])
        own = span.delayed(self.latency_frames)
        if self._fade.old is None and not self._undecided and not self._automation.switched:
            # nothing changes on the way: one piece
            out, self.tapped = self.instance.process(block, own, self._automation, self.tap, key, taps, self._past)
            self.detector = self.instance.detector
            self._past.push(block)
            self._fresh, self._last = False, own
            if self.metered:
                self._read(block, out, own, [self.instance.series_db], [out.shape[1]])
            return out
        return self._in_pieces(block, own, key, taps)

    def _in_pieces(self, block: Block, own: Span, key: Block | None, taps: Mapping[str, Block]) -> Block:
        parts: list[tuple[Block, Block | None]] = []
        heard: list[Block] = []
        efforts: list[Mapping[str, Block]] = []
        for at, frames, song in self._cut(own):
            if self._undecided or (self._automation.switched and song % self._automation.step == 0):
                self._decide(song)
            whole = slice(at, at + frames)
            piece, piece_key = _part(block, whole), None if key is None else _part(key, whole)
            there, inside = own.part(at, frames), {name: _part(tap, whole) for name, tap in taps.items()}
            for cut, ramp in self._fade.pieces(frames, self._make):
                parts.append(self._piece(cut, ramp, piece, there, piece_key, inside))
                if self.instance.detector is not None:
                    heard.append(self.instance.detector)
                efforts.append(self.instance.series_db)
                # a setting that waits for the end of a fade is warmed by all that went by until then
                self._past.push(_part(piece, cut))
                self._fresh, self._last = False, there.part(cut.start, cut.stop - cut.start)
        out = _joined([part for part, _ in parts])
        tapped = [tap for _, tap in parts if tap is not None]
        self.tapped = _joined(tapped) if tapped else None
        self.detector = _joined(heard) if heard and sum(h.shape[1] for h in heard) == out.shape[1] else None
        if self.metered:
            self._read(block, out, own, efforts, [part.shape[1] for part, _ in parts])
        return out

    def _cut(self, own: Span) -> Iterator[tuple[int, int, int]]:
        """Pieces with their song frames; one for all where nothing has to be decided on the way."""
        if self._automation.switched:
            return own.cut(self._automation.step)
        return iter([(0, own.frames, own.runs[0][0] if self._undecided else 0)])

    def _piece(
        self,
        cut: slice,
        ramp: np.ndarray | None,
        block: Block,
        span: Span,
        key: Block | None,
        taps: Mapping[str, Block],
    ) -> tuple[Block, Block | None]:
        part, where = _part(block, cut), span.part(cut.start, cut.stop - cut.start)
        part_key = None if key is None else _part(key, cut)
        inside = {name: _part(tap, cut) for name, tap in taps.items()}
        after, tap_after = self.instance.process(part, where, self._automation, self.tap, part_key, inside, self._past)
        if ramp is None or self._fade.old is None:
            return after, tap_after
        before, tap_before = self._fade.old.process(
            part, where, self._automation, self.tap, part_key, inside, self._past
        )
        if tap_after is not None and tap_before is not None:
            tap_after = blended(tap_before, tap_after, ramp)
        return blended(before, after, ramp), tap_after

    def _read(
        self, block: Block, out: Block, own: Span, efforts: list[Mapping[str, Block]], lengths: list[int]
    ) -> None:
        """Levels in are of the sound that comes in, everything else of the sound that leaves."""
        channels, leaving = self.instance.stage.channels, own.start - self.instance.delay
        rows = {"input_db": levels_db(pick(block, channels), own.start)}
        detector = self.detector
        rows["heard_db"] = levels_db(detector, leaving) if detector is not None else rows["input_db"]
        rows["output_db"] = levels_db(pick(out, channels), leaving)
        for name in {name for found in efforts for name in found}:
            if len(efforts) == 1:
                rows[name] = series_db(name, efforts[0][name], leaving)
                continue
            nothing = np.full((1, 1), 0.0 if is_effort(name) else SILENT_DB)
            pieces = [
                np.broadcast_to(found.get(name, nothing), (2, run)) for found, run in zip(efforts, lengths, strict=True)
            ]
            rows[name] = series_db(name, np.concatenate(pieces, axis=1), leaving)
        self.reading = Reading(rows)


def _part(block: Block, cut: slice) -> Block:
    return block if cut.start == 0 and cut.stop == block.shape[1] else np.ascontiguousarray(block[:, cut])


def _joined(parts: list[Block]) -> Block:
    return parts[0] if len(parts) == 1 else np.concatenate(parts, axis=1)
