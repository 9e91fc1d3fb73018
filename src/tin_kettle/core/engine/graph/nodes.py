"""What holds what: chains of stage nodes, chain nodes that hold a chain, splits that hold chain nodes."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Mapping
from typing import Self

import numpy as np

from tin_kettle.core.dsp.block import Block
from tin_kettle.core.dsp.delay import DelayLine
from tin_kettle.core.dsp.state_copy import twin_of
from tin_kettle.core.dsp.summing import summed
from tin_kettle.core.dsp.timeline import Span
from tin_kettle.core.engine.graph.allpass_alignment import (
    AllpassAlignment,
    Corners,
    Moves,
    at_song,
    common,
    is_alike,
    missing,
    moves_of,
)
from tin_kettle.core.engine.graph.automation_values import AutomationValues
from tin_kettle.core.engine.graph.fader import Fader
from tin_kettle.core.engine.graph.meters import Reading, levels_db
from tin_kettle.core.engine.graph.stage_instance import StageInstance
from tin_kettle.core.engine.graph.stage_node import Decaying, StageNode
from tin_kettle.core.engine.graph.traversal import ALONE, Metered, Traversal
from tin_kettle.core.recipe.model import Owner
from tin_kettle.core.stages.divider import Divider
from tin_kettle.core.stages.processor import Processor
from tin_kettle.core.stages.stage import Branch, Stage

TURN_S = 0.1


class Chain:
    """An ordered list of stage nodes."""

    def __init__(self, stages: Iterable[Stage], automation: AutomationValues, rate_hz: float) -> None:
        self.nodes = [(SplitNode if stage.branches else StageNode)(stage, automation, rate_hz) for stage in stages]
        self.output_latency_frames = 0

    @property
    def memory_s(self) -> float:
        """How long ago still matters."""
        return sum(node.memory_s for node in self.nodes)

    @property
    def tail_s(self) -> float:
        """How long it rings on."""
        return sum(node.tail_s for node in self.nodes)

    def walk(self) -> Iterator[StageNode]:
        """Every stage node at any depth, a split before what is in it."""
        for node in self.nodes:
            yield from node.walk()

    def chain_nodes(self) -> Iterator[ChainNode]:
        """Every branch at any depth."""
        for node in self.nodes:
            if isinstance(node, SplitNode):
                yield from node.chain_nodes()

    def fork(self) -> Self:
        """A copy that goes on from the same state."""
        twin = twin_of(self)
        twin.nodes = [node.fork() for node in self.nodes]
        return twin

    def align(self, latency_frames: int, tap_latencies: Mapping[str, int]) -> int:
        """Line every keyed stage node up with its keys; returns how late the chain's output is."""
        for node in self.nodes:
            latency_frames = node.align(latency_frames, tap_latencies)
        self.output_latency_frames = latency_frames
        return latency_frames

    def can_become(self, stages: tuple[Stage, ...]) -> bool:
        """Whether it holds the same stages in the same order, each of which may go to its new setting."""
        if [(node.stage.id, node.stage.kind) for node in self.nodes] != [(stage.id, stage.kind) for stage in stages]:
            return False
        return all(node.can_become(stage) for node, stage in zip(self.nodes, stages, strict=True))

    def change(self, stages: tuple[Stage, ...], automation: AutomationValues) -> None:
        """Go to other settings of the same stages."""
        for node, stage in zip(self.nodes, stages, strict=True):
            node.change(stage, automation)

    def process(self, block: Block, span: Span, taps: Mapping[str, Block], traversal: Traversal = ALONE) -> Block:
        """Next block; ``taps`` are what the buses and groups before gave after their chains."""
        for node in self.nodes:
            with traversal.at(node):
                block = node.process(block, span, taps)
        return block


class ChainNode:
    """A bus, a group or a branch: chain, fader, what brings it in phase, then the delay that lines it up."""

    def __init__(self, owner: Owner, automation: AutomationValues, rate_hz: float) -> None:
        self.owner = owner
        self.chain = Chain(owner.chain, automation, rate_hz)
        self.fader = Fader(owner, automation.of(owner.id), rate_hz)
        self.silent = False
        self.line = DelayLine(0)
        self.metered = False
        self.reading: Reading | None = None
        self._allpass = AllpassAlignment(rate_hz)
        self._automation = automation.of(owner.id)

    def fork(self) -> Self:
        """A copy that goes on from the same state."""
        twin = twin_of(self)
        twin.chain, twin.fader = self.chain.fork(), self.fader.fork()
        twin.line, twin._allpass = self.line.fork(), self._allpass.fork()
        return twin

    def differs(self, owner: Owner, automation: AutomationValues, silent: bool) -> bool:
        """Whether :meth:`change` would move the fader."""
        return self.fader.differs(owner, automation.of(owner.id), silent)

    def change(self, owner: Owner, automation: AutomationValues, silent: bool) -> None:
        """Go to another fader setting; ``silent`` for the ear alone."""
        self.owner, self._automation = owner, automation.of(owner.id)
        self.silence(silent)

    def silence(self, silent: bool) -> None:
        """Be silent for the ear alone, or not."""
        self.silent = silent
        self.fader.change(self.owner, self._automation, silent)

    def adopt(self, other: ChainNode) -> None:
        """Go on from the same chain node of another graph."""
        self.fader.adopt(other.fader)
        self.metered = other.metered
        self.silence(other.silent)
        self._allpass = other._allpass.fork()
        if self.line.frames == other.line.frames:
            self.line = other.line.fork()

    @property
    def id(self) -> str:
        """Of its bus, group or branch."""
        return self.owner.id

    def parts(self) -> Iterator[Metered]:
        """Itself: what is in its chain are places of their own."""
        yield self

    def process(
        self, block: Block, span: Span, taps: dict[str, Block], corners: Moves = (), traversal: Traversal = ALONE
    ) -> Block:
        """Next block; what leaves the chain is added to ``taps``, and passes all-passes with ``corners``."""
        out = taps[self.id] = self.chain.process(block, span, taps, traversal)
        with traversal.at(self):
            output_span = span.delayed(self.chain.output_latency_frames)
            out = self._allpass.process(
                self.fader.process(out, output_span), corners, output_span, self._automation.step
            )
            if self.metered:
                self.reading = Reading({"output_db": levels_db(out, output_span.start)})
            return self.line.push(out)


class Branches(Processor):
    """What is in a split: a divider, branches side by side, their sum."""

    def __init__(self, stage: Stage, automation: AutomationValues, rate_hz: float) -> None:
        super().__init__()
        self._divider: Divider = stage.declared.build(stage.params, rate_hz)  # type: ignore[assignment]
        self.chain_nodes = [ChainNode(branch, automation, rate_hz) for branch in stage.branches]
        self._latency_frames, self._rate_hz = 0, rate_hz
        self._own = stage.declared.crossovers_hz(stage.params)
        self.shown: dict[str, Block] = {}
        self.weigh(automation)

    def weigh(self, automation: AutomationValues) -> None:
        """Find out what every branch lacks to be in phase with its neighbours, and what all of it is at rest."""
        self._automation = automation
        paths = [moves_of(chain_node.owner.chain, automation) for chain_node in self.chain_nodes]

        def wanted(song: int) -> Corners:
            return common(*(at_song(path, song) for path in paths))

        def all_of_it(song: int) -> Corners:
            return tuple(sorted((*self._own, *wanted(song))))

        def lacks(path: Moves) -> Moves:
            return lambda song: missing(at_song(path, song), wanted(song))

        moves = any(callable(path) for path in paths)
        self.corners: Moves = all_of_it if moves else all_of_it(0)
        self._lacks: list[Moves] = [lacks(path) if moves else missing(at_song(path, 0), wanted(0)) for path in paths]

    def rephased(self, branches: tuple[Branch, ...], automation: AutomationValues) -> list[int]:
        """How late those chain nodes leave their chains whose all-passes would change."""
        chains = [branch.chain for branch in branches]
        if all(
            is_alike(chain_node.owner.chain, self._automation, chain, automation)
            for chain_node, chain in zip(self.chain_nodes, chains, strict=True)
        ):
            return []
        paths = [path for path in (moves_of(chain, automation) for chain in chains) if not callable(path)]
        if len(paths) < len(chains) or any(callable(lack) for lack in self._lacks):
            return [chain_node.chain.output_latency_frames for chain_node in self.chain_nodes]
        lacks = [missing(path, common(*paths)) for path in paths]
        parts = zip(self.chain_nodes, self._lacks, lacks, strict=True)
        return [chain_node.chain.output_latency_frames for chain_node, before, after in parts if before != after]

    def align(self, latency_frames: int, tap_latencies: Mapping[str, int]) -> None:
        """Let every branch wait for the slowest."""
        self._latency_frames = latency_frames
        outs = [
            chain_node.chain.align(latency_frames + self._divider.delay, tap_latencies)
            for chain_node in self.chain_nodes
        ]
        for chain_node, out in zip(self.chain_nodes, outs, strict=True):
            chain_node.line = DelayLine(max(outs) - out)
        self.delay = max(outs) - latency_frames
        nodes = [node for chain_node in self.chain_nodes for node in chain_node.chain.walk()]
        beyond = max((node.instance.processor.warm_frames for node in nodes), default=0) + self._divider.warm_frames
        # all-passes at 20 Hz have forgotten what was before within a tenth of a second
        self.warm_frames = self.delay + max(beyond, round(TURN_S * self._rate_hz) if self.corners != () else 0)

    def fork(self) -> Self:
        twin = super().fork()
        twin._divider = self._divider.fork()
        twin.chain_nodes = [chain_node.fork() for chain_node in self.chain_nodes]
        return twin

    def adopt(self, other: Processor) -> bool:
        """Go on from another setting of the same split; its branches from those of the same ids."""
        if not isinstance(other, Branches):
            return False
        whole = self._divider.adopt(other._divider)
        nodes = {node.stage.id: node for chain_node in other.chain_nodes for node in chain_node.chain.nodes}
        chain_nodes = {chain_node.id: chain_node for chain_node in other.chain_nodes}
        for chain_node in self.chain_nodes:
            for node in chain_node.chain.nodes:
                if node.stage.id in nodes:
                    node.adopt(nodes[node.stage.id])
            if chain_node.id in chain_nodes:
                chain_node.adopt(chain_nodes[chain_node.id])
        return whole

    def process(self, block: Block) -> Block:
        assert self.span is not None
        # where the sources are: chain nodes reckon by their own lateness
        span, taps = self.span.delayed(-self._latency_frames), dict(self.taps)
        self._divider.span = self.span
        parts = zip(self.chain_nodes, self._divider.divide(block), self._lacks, strict=True)
        done = [
            np.ascontiguousarray(chain_node.process(part, span, taps, corners)) for chain_node, part, corners in parts
        ]
        self.shown = {"in": block, **{chain_node.id: taps[chain_node.id] for chain_node in self.chain_nodes}}
        return summed(done)


class SplitNode(StageNode):
    """A node with chains inside. What changes in a branch changes there; the split itself does not fade for it."""

    def _instance_of(self, stage: Stage) -> StageInstance:
        inside = Branches(stage, self._all_automation, self._rate_hz)
        return StageInstance(stage, inside, inside.corners, self._rate_hz)

    @property
    def _branches(self) -> Branches:
        """The branches of the present setting."""
        found = self.instance.processor
        assert isinstance(found, Branches)
        return found

    def walk(self) -> Iterator[StageNode]:
        yield self
        for chain_node in self._branches.chain_nodes:
            yield from chain_node.chain.walk()

    def parts(self) -> Iterator[Metered]:
        yield from self.walk()
        yield from self.chain_nodes()

    def chain_nodes(self) -> Iterator[ChainNode]:
        """The branches inside, at any depth."""
        for chain_node in self._branches.chain_nodes:
            yield chain_node
            yield from chain_node.chain.chain_nodes()

    def inside(self) -> dict[str, Block]:
        """What comes in, and what leaves every branch's chain before its fader."""
        return dict(self._branches.shown)

    def can_become(self, stage: Stage) -> bool:
        mine, theirs = self.stage.branches, stage.branches
        if [branch.id for branch in mine] != [branch.id for branch in theirs] or not super().can_become(stage):
            return False
        return all(
            chain_node.chain.can_become(b.chain)
            for chain_node, b in zip(self._branches.chain_nodes, theirs, strict=True)
        )

    def rephased(self, stage: Stage, automation: AutomationValues) -> list[int]:
        return self._branches.rephased(stage.branches, automation)

    def differs(self, stage: Stage, automation: AutomationValues) -> bool:
        moved = automation.of(stage.id).moved != self._automation.moved
        return moved or _head(stage) != _head(self.stage)

    def _longest(self, duration: Callable[[Decaying], float]) -> float:
        return max(duration(chain_node.chain) for chain_node in self._branches.chain_nodes)

    def change(self, stage: Stage, automation: AutomationValues) -> None:
        # of several changes before the next block each counts; one that waits was made of branches of before
        undecided = self._undecided or self._fade.waits or self.differs(stage, automation)
        super().change(stage, automation)
        inside = self._branches
        for chain_node, branch in zip(inside.chain_nodes, stage.branches, strict=True):
            chain_node.chain.change(branch.chain, automation)
            chain_node.change(branch, automation, chain_node.silent)
        inside.weigh(automation)
        now = self.instance
        now.stage = now.stage.with_branches(stage.branches)
        now.corners = inside.corners
        self._undecided = undecided


def _head(stage: Stage) -> Stage:
    """A split without what is in its branches."""
    bare = tuple(Branch(id=branch.id) for branch in stage.branches)
    return stage.with_branches(bare)
