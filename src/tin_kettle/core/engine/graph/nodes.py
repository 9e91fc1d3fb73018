"""What holds what: chains of slots, lanes that hold a chain, splits that hold lanes."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Mapping
from typing import Self

import numpy as np

from tin_kettle.core.dsp.block import Block
from tin_kettle.core.dsp.delay import Line
from tin_kettle.core.dsp.state_copy import twin_of
from tin_kettle.core.dsp.summing import summed
from tin_kettle.core.dsp.timeline import Span
from tin_kettle.core.engine.graph.allpass_alignment import (
    Corners,
    Moves,
    Turn,
    at_song,
    common,
    is_alike,
    missing,
    moves_of,
)
from tin_kettle.core.engine.graph.automation_values import Rides
from tin_kettle.core.engine.graph.fader import Fader
from tin_kettle.core.engine.graph.meters import Reading, levels_db
from tin_kettle.core.engine.graph.stage_instance import Voice
from tin_kettle.core.engine.graph.stage_node import Decaying, Slot
from tin_kettle.core.engine.graph.traversal import ALONE, Walk
from tin_kettle.core.recipe.model import Owner
from tin_kettle.core.stages.branch import Branch
from tin_kettle.core.stages.divider import Divider
from tin_kettle.core.stages.processor import Processor
from tin_kettle.core.stages.stage import Stage

TURN_S = 0.1


class Chain:
    """An ordered list of slots."""

    def __init__(self, stages: Iterable[Stage], rides: Rides, rate_hz: float) -> None:
        self.slots = [(Split if stage.branches else Slot)(stage, rides, rate_hz) for stage in stages]
        self.late_out = 0

    @property
    def memory_s(self) -> float:
        """How long ago still matters."""
        return sum(slot.memory_s for slot in self.slots)

    @property
    def tail_s(self) -> float:
        """How long it rings on."""
        return sum(slot.tail_s for slot in self.slots)

    def walk(self) -> Iterator[Slot]:
        """Every slot at any depth, a split before what is in it."""
        for slot in self.slots:
            yield from slot.walk()

    def lanes(self) -> Iterator[Lane]:
        """Every branch at any depth."""
        for slot in self.slots:
            yield from slot.lanes()

    def fork(self) -> Self:
        """A copy that goes on from the same state."""
        twin = twin_of(self)
        twin.slots = [slot.fork() for slot in self.slots]
        return twin

    def align(self, late: int, tapped_at: Mapping[str, int]) -> int:
        """Line every keyed slot up with its keys; returns how late the chain's output is."""
        for slot in self.slots:
            late = slot.align(late, tapped_at)
        self.late_out = late
        return late

    def can_become(self, stages: tuple[Stage, ...]) -> bool:
        """Whether it holds the same stages in the same order, each of which may go to its new setting."""
        if [(slot.stage.id, slot.stage.kind) for slot in self.slots] != [(stage.id, stage.kind) for stage in stages]:
            return False
        return all(slot.can_become(stage) for slot, stage in zip(self.slots, stages, strict=True))

    def change(self, stages: tuple[Stage, ...], rides: Rides) -> None:
        """Go to other settings of the same stages."""
        for slot, stage in zip(self.slots, stages, strict=True):
            slot.change(stage, rides)

    def process(self, block: Block, span: Span, taps: Mapping[str, Block], walk: Walk = ALONE) -> Block:
        """Next block; ``taps`` are what the buses and groups before gave after their chains."""
        for slot in self.slots:
            with walk.at(slot):
                block = slot.process(block, span, taps)
        return block


class Lane:
    """A bus, a group or a branch: chain, fader, what brings it in phase, then the delay that lines it up."""

    def __init__(self, owner: Owner, rides: Rides, rate_hz: float) -> None:
        self.owner = owner
        self.chain = Chain(owner.chain, rides, rate_hz)
        self.fader = Fader(owner, rides.of(owner.id), rate_hz)
        self.silent = False
        self.line = Line(0)
        self.metered = False
        self.reading: Reading | None = None
        self._turn = Turn(rate_hz)
        self._rides = rides.of(owner.id)

    def fork(self) -> Self:
        """A copy that goes on from the same state."""
        twin = twin_of(self)
        twin.chain, twin.fader = self.chain.fork(), self.fader.fork()
        twin.line, twin._turn = self.line.fork(), self._turn.fork()
        return twin

    def differs(self, owner: Owner, rides: Rides, silent: bool) -> bool:
        """Whether :meth:`change` would move the fader."""
        return self.fader.differs(owner, rides.of(owner.id), silent)

    def change(self, owner: Owner, rides: Rides, silent: bool) -> None:
        """Go to another fader setting; ``silent`` for the ear alone."""
        self.owner, self._rides = owner, rides.of(owner.id)
        self.silence(silent)

    def silence(self, silent: bool) -> None:
        """Be silent for the ear alone, or not."""
        self.silent = silent
        self.fader.change(self.owner, self._rides, silent)

    def adopt(self, other: Lane) -> None:
        """Go on from the same lane of another graph."""
        self.fader.adopt(other.fader)
        self.metered = other.metered
        self.silence(other.silent)
        self._turn = other._turn.fork()
        if self.line.frames == other.line.frames:
            self.line = other.line.fork()

    @property
    def id(self) -> str:
        """Of its bus, group or branch."""
        return self.owner.id

    def parts(self) -> Iterator[Slot | Lane]:
        """Itself: what is in its chain are places of their own."""
        yield self

    def process(
        self, block: Block, span: Span, taps: dict[str, Block], corners: Moves = (), walk: Walk = ALONE
    ) -> Block:
        """Next block; what leaves the chain is added to ``taps``, and passes all-passes with ``corners``."""
        out = taps[self.id] = self.chain.process(block, span, taps, walk)
        with walk.at(self):
            late = span.late(self.chain.late_out)
            out = self._turn.process(self.fader.process(out, late), corners, late, self._rides.step)
            if self.metered:
                self.reading = Reading({"output_db": levels_db(out, late.start)})
            return self.line.push(out)


class Branches(Processor):
    """What is in a split: a divider, branches side by side, their sum."""

    def __init__(self, stage: Stage, rides: Rides, rate_hz: float) -> None:
        super().__init__()
        self._divider: Divider = stage.declared.build(stage.params, rate_hz)  # type: ignore[assignment]
        self.lanes = [Lane(branch, rides, rate_hz) for branch in stage.branches]
        self._late, self._rate_hz = 0, rate_hz
        self._own = stage.declared.crossovers_hz(stage.params)
        self.shown: dict[str, Block] = {}
        self.weigh(rides)

    def weigh(self, rides: Rides) -> None:
        """Find out what every branch lacks to be in phase with its neighbours, and what all of it is at rest."""
        self._rides = rides
        paths = [moves_of(lane.owner.chain, rides) for lane in self.lanes]

        def wanted(song: int) -> Corners:
            return common(*(at_song(path, song) for path in paths))

        def all_of_it(song: int) -> Corners:
            return tuple(sorted((*self._own, *wanted(song))))

        def lacks(path: Moves) -> Moves:
            return lambda song: missing(at_song(path, song), wanted(song))

        moves = any(callable(path) for path in paths)
        self.corners: Moves = all_of_it if moves else all_of_it(0)
        self._lacks: list[Moves] = [lacks(path) if moves else missing(at_song(path, 0), wanted(0)) for path in paths]

    def rephased(self, branches: tuple[Branch, ...], rides: Rides) -> list[int]:
        """How late those lanes leave their chains whose all-passes would change."""
        chains = [branch.chain for branch in branches]
        if all(
            is_alike(lane.owner.chain, self._rides, chain, rides)
            for lane, chain in zip(self.lanes, chains, strict=True)
        ):
            return []
        paths = [path for path in (moves_of(chain, rides) for chain in chains) if not callable(path)]
        if len(paths) < len(chains) or any(callable(lack) for lack in self._lacks):
            return [lane.chain.late_out for lane in self.lanes]
        lacks = [missing(path, common(*paths)) for path in paths]
        parts = zip(self.lanes, self._lacks, lacks, strict=True)
        return [lane.chain.late_out for lane, before, after in parts if before != after]

    def align(self, late: int, tapped_at: Mapping[str, int]) -> None:
        """Let every branch wait for the slowest."""
        self._late = late
        outs = [lane.chain.align(late + self._divider.delay, tapped_at) for lane in self.lanes]
        for lane, out in zip(self.lanes, outs, strict=True):
            lane.line = Line(max(outs) - out)
        self.delay = max(outs) - late
        slots = [slot for lane in self.lanes for slot in lane.chain.walk()]
        beyond = max((slot.voice.processor.warm_frames for slot in slots), default=0) + self._divider.warm_frames
        # all-passes at 20 Hz have forgotten what was before within a tenth of a second
        self.warm_frames = self.delay + max(beyond, round(TURN_S * self._rate_hz) if self.corners != () else 0)

    def fork(self) -> Self:
        twin = super().fork()
        twin._divider = self._divider.fork()
        twin.lanes = [lane.fork() for lane in self.lanes]
        return twin

    def adopt(self, other: Processor) -> bool:
        """Go on from another setting of the same split; its branches from those of the same ids."""
        if not isinstance(other, Branches):
            return False
        whole = self._divider.adopt(other._divider)
        slots = {slot.stage.id: slot for lane in other.lanes for slot in lane.chain.slots}
        lanes = {lane.id: lane for lane in other.lanes}
        for lane in self.lanes:
            for slot in lane.chain.slots:
                if slot.stage.id in slots:
                    slot.adopt(slots[slot.stage.id])
            if lane.id in lanes:
                lane.adopt(lanes[lane.id])
        return whole

    def process(self, block: Block) -> Block:
        assert self.span is not None
        # where the sources are: lanes reckon by their own lateness
        span, taps = self.span.late(-self._late), dict(self.taps)
        self._divider.span = self.span
        parts = zip(self.lanes, self._divider.divide(block), self._lacks, strict=True)
        done = [np.ascontiguousarray(lane.process(part, span, taps, corners)) for lane, part, corners in parts]
        self.shown = {"in": block, **{lane.id: taps[lane.id] for lane in self.lanes}}
        return summed(done)


class Split(Slot):
    """A slot with chains inside. What changes in a branch changes there; the split itself does not fade for it."""

    def _voice_of(self, stage: Stage) -> Voice:
        inside = Branches(stage, self._all_rides, self._rate_hz)
        return Voice(stage, inside, inside.corners, self._rate_hz)

    @property
    def _branches(self) -> Branches:
        """The branches of the present setting."""
        found = self.voice.processor
        assert isinstance(found, Branches)
        return found

    def walk(self) -> Iterator[Slot]:
        yield self
        for lane in self._branches.lanes:
            yield from lane.chain.walk()

    def lanes(self) -> Iterator[Lane]:
        for lane in self._branches.lanes:
            yield lane
            yield from lane.chain.lanes()

    def inside(self) -> dict[str, Block]:
        """What comes in, and what leaves every branch's chain before its fader."""
        return dict(self._branches.shown)

    def can_become(self, stage: Stage) -> bool:
        mine, theirs = self.stage.branches, stage.branches
        if [branch.id for branch in mine] != [branch.id for branch in theirs] or not super().can_become(stage):
            return False
        return all(lane.chain.can_become(b.chain) for lane, b in zip(self._branches.lanes, theirs, strict=True))

    def rephased(self, stage: Stage, rides: Rides) -> list[int]:
        return self._branches.rephased(stage.branches, rides)

    def differs(self, stage: Stage, rides: Rides) -> bool:
        moved = rides.of(stage.id).moved != self._rides.moved
        return moved or _head(stage) != _head(self.stage)

    def _longest(self, duration: Callable[[Decaying], float]) -> float:
        return max(duration(lane.chain) for lane in self._branches.lanes)

    def change(self, stage: Stage, rides: Rides) -> None:
        # of several changes before the next block each counts; one that waits was made of branches of before
        undecided = self._undecided or self._fade.waits or self.differs(stage, rides)
        super().change(stage, rides)
        inside = self._branches
        for lane, branch in zip(inside.lanes, stage.branches, strict=True):
            lane.chain.change(branch.chain, rides)
            lane.change(branch, rides, lane.silent)
        inside.weigh(rides)
        now = self.voice
        now.stage = now.stage.with_branches(stage.branches)
        now.corners = inside.corners
        self._undecided = undecided


def _head(stage: Stage) -> Stage:
    """A split without what is in its branches."""
    bare = tuple(Branch(id=branch.id) for branch in stage.branches)
    return stage.with_branches(bare)
