"""The signal path of the sound: source → bus chain → group → master chain → tap, with every delay compensated.

One graph serves live audition, survey and print; only what drives it differs.
"""

from __future__ import annotations

import itertools
from collections.abc import Iterator, Mapping
from typing import Self

import numpy as np

from tin_kettle.core.dsp.block import Block
from tin_kettle.core.dsp.delay import DelayLine
from tin_kettle.core.dsp.state_copy import twin_of
from tin_kettle.core.dsp.summing import summed
from tin_kettle.core.dsp.timeline import Span
from tin_kettle.core.engine.graph.automation_values import rides_of
from tin_kettle.core.engine.graph.meters import Reading
from tin_kettle.core.engine.graph.nodes import Chain, ChainNode
from tin_kettle.core.engine.graph.stage_instance import Tap
from tin_kettle.core.engine.graph.stage_node import StageNode, keys_of
from tin_kettle.core.engine.graph.traversal import ALONE, Traversal
from tin_kettle.core.errors import AudioError
from tin_kettle.core.recipe.bus_order import in_order
from tin_kettle.core.recipe.model import Owner, Recipe
from tin_kettle.core.recipe.reading import check_rate

NO_TAP: tuple[str | None, Tap] = (None, "result")


class Graph:
    """A recipe at work.

    Args:
        recipe: a checked recipe.
        rate_hz: rate of all sources.

    Raises:
        RecipeError: a frequency lies above what the rate carries.
    """

    def __init__(self, recipe: Recipe, rate_hz: float) -> None:
        check_rate(recipe, rate_hz)
        self.recipe = recipe
        self.rate_hz = rate_hz
        self._automation = rides_of(recipe, rate_hz)
        self.buses = {bus.id: ChainNode(bus, self._automation, rate_hz) for bus in recipe.buses}
        self.groups = {group.id: ChainNode(group, self._automation, rate_hz) for group in recipe.groups}
        self.master = Chain(recipe.master, self._automation, rate_hz)
        self._order = in_order(recipe)
        self._parents = {bus.id: bus.group for bus in (*recipe.buses, *recipe.groups)}
        self.silent: frozenset[str] = frozenset()
        self.tapped: tuple[str | None, Tap] = NO_TAP
        self._tap_line = DelayLine(0)
        self.delay = self._align()

    def _align(self) -> int:
        """Give every chain node the delay that its slowest neighbour needs; returns the delay of the whole path."""
        chain_nodes = self._outer()
        latency_frames: dict[str, int] = {}

        def gather(group_id: str | None) -> int:
            children = [node_id for node_id, parent in self._parents.items() if parent == group_id]
            latest = max((latency_frames[node_id] for node_id in children), default=0)
            for node_id in children:
                chain_nodes[node_id].line = DelayLine(latest - latency_frames[node_id])
            return latest

        for node_id in self._order:
            start = gather(node_id) if node_id in self.groups else 0
            latency_frames[node_id] = chain_nodes[node_id].chain.align(start, latency_frames)
        return self.master.align(gather(None), latency_frames)

    def _outer(self) -> dict[str, ChainNode]:
        """Buses and groups by id."""
        return {**self.buses, **self.groups}

    def chain_nodes(self) -> Iterator[ChainNode]:
        """Every bus, group and branch."""
        for chain_node in self._outer().values():
            yield chain_node
            yield from chain_node.chain.chain_nodes()
        yield from self.master.chain_nodes()

    def nodes(self) -> Iterator[StageNode]:
        """Every stage node at any depth: buses, groups, master, in the order of the recipe."""
        for chain_node in self._outer().values():
            yield from chain_node.chain.walk()
        yield from self.master.walk()

    def node(self, stage_id: str | None) -> StageNode | None:
        """The stage node of a stage."""
        return next((node for node in self.nodes() if node.id == stage_id), None)

    @property
    def memory_s(self) -> float:
        """How long ago still matters to what is heard now."""
        return max(chain_node.chain.memory_s for chain_node in self._outer().values()) + self.master.memory_s

    @property
    def tail_s(self) -> float:
        """How long it rings on after the sources end."""
        return max(chain_node.chain.tail_s for chain_node in self._outer().values()) + self.master.tail_s

    def sleep(self, frames: int, least: int) -> None:
        """Before so many frames of warming up: let each node begin only as long before their end as still matters.

        Args:
            frames: what is going to be heard.
            least: frames that everything is to hear, whatever it remembers.
        """
        groups = sum(self.groups[name].chain.memory_s for name in self.groups)
        chains = [(self.master, 0.0)]
        chains += [(chain_node.chain, self.master.memory_s) for chain_node in self.groups.values()]
        chains += [(chain_node.chain, self.master.memory_s + groups) for chain_node in self.buses.values()]
        for chain, behind_s in chains:
            matters_s = behind_s
            for node in reversed(chain.nodes):
                matters_s += node.memory_s
                node.sleep(frames - max(round(matters_s * self.rate_hz), least))

    def fork(self) -> Self:
        """A copy that goes on from the same state."""
        twin = twin_of(self)
        twin.buses = {name: chain_node.fork() for name, chain_node in self.buses.items()}
        twin.groups = {name: chain_node.fork() for name, chain_node in self.groups.items()}
        twin.master = self.master.fork()
        twin._tap_line = self._tap_line.fork()
        return twin

    def meter(self, on: bool) -> None:
        """Let every stage node and chain node keep its reading."""
        for node in self.nodes():
            node.metered = on
        for chain_node in self.chain_nodes():
            chain_node.metered = on

    def readings(self) -> dict[str, Reading]:
        """What stages, branches, buses and groups read of the last block, by id."""
        parts: Iterator[StageNode | ChainNode] = itertools.chain(self.nodes(), self.chain_nodes())
        found = {part.id: part.reading for part in parts}
        return {name: reading for name, reading in found.items() if reading is not None}

    # ---- another recipe

    def reach(self, recipe: Recipe, silent: frozenset[str]) -> int | None:
        """How far behind the sources lies what :meth:`change` would change: frames until all of it is heard.

        None where the structure or a delay differs: build another graph then.
        """
        if _lanes_of(recipe) != _lanes_of(self.recipe) or not self._can_become(recipe):
            return None
        automation = rides_of(recipe, self.rate_hz)
        stages = {stage.id: stage for stage in recipe.stages()}
        owners: dict[str, Owner] = dict(recipe.buses_and_groups())
        owners |= {branch.id: branch for stage in stages.values() for branch in stage.branches}
        places = [node.output_latency_frames for node in self.nodes() if node.differs(stages[node.id], automation)]
        for chain_node in self.chain_nodes():
            name = chain_node.id
            if chain_node.differs(owners[name], automation, name in silent):
                places.append(chain_node.chain.output_latency_frames)
        # siblings of what changes are brought in phase with it before they wait for each other
        for node in self.nodes():
            places += node.rephased(stages[node.id], automation)
        return max((self.delay - place for place in places), default=0)

    def _can_become(self, recipe: Recipe) -> bool:
        outer = self._outer()
        if not all(outer[name].chain.can_become(bus.chain) for name, bus in recipe.buses_and_groups().items()):
            return False
        if not self.master.can_become(recipe.master):
            return False
        automation = rides_of(recipe, self.rate_hz)
        keys = {stage.id: keys_of(stage, automation) for stage in recipe.stages()}
        return all(keys_of(node.stage, self._automation) == keys[node.id] for node in self.nodes())

    def change(self, recipe: Recipe) -> None:
        """Go to another recipe without a click, where :meth:`reach` says that it can be done.

        Raises:
            RecipeError: a frequency lies above what the rate carries; nothing has changed then.
        """
        check_rate(recipe, self.rate_hz)
        self.recipe, self._automation = recipe, rides_of(recipe, self.rate_hz)
        outer = self._outer()
        for name, bus in recipe.buses_and_groups().items():
            outer[name].chain.change(bus.chain, self._automation)
            outer[name].change(bus, self._automation, outer[name].silent)
        self.master.change(recipe.master, self._automation)

    def silence(self, silent: frozenset[str]) -> None:
        """Let buses and branches be silent for the ear only; their taps still feed the keys."""
        self.silent = silent
        for chain_node in self.chain_nodes():
            chain_node.silence(chain_node.id in silent)

    def adopt(self, other: Graph) -> None:
        """Go on from another graph's state, stage node by stage node, where ids, kinds and own delays agree."""
        nodes = {node.id: node for node in other.nodes()}
        for node in self.nodes():
            if node.id in nodes:
                node.adopt(nodes[node.id])
        chain_nodes = {chain_node.id: chain_node for chain_node in other.chain_nodes()}
        for chain_node in self.chain_nodes():
            if chain_node.id in chain_nodes:
                chain_node.adopt(chain_nodes[chain_node.id])

    def news(self, other: Graph) -> int:
        """Frames that it has to hear, before the first that counts, where it goes on from another graph's state.

        As long as the way from the first place that differs to the end of the signal path, and what a stage that is new
        there has to have heard beyond its own delay.
        """
        known = {node.id: node for node in other.nodes()}
        chain_nodes = {chain_node.id: chain_node.line.frames for chain_node in other.chain_nodes()}
        behind = beyond = 0
        for chain_node in self.chain_nodes():
            if chain_nodes.get(chain_node.id) != chain_node.line.frames:
                behind = max(behind, self.delay - chain_node.chain.output_latency_frames)
        for chain, theirs in self._chains(other):
            names = [node.id for node in theirs.nodes] if theirs else []
            for at, node in enumerate(chain.nodes):
                before = known.get(node.id)
                if at >= len(names) or names[at] != node.id or before is None or before.delay != node.delay:
                    behind = max(behind, self.delay - (node.output_latency_frames - node.delay))
                    break
            else:
                if len(names) > len(chain.nodes):
                    behind = max(behind, self.delay - chain.output_latency_frames)
        for node in self.nodes():
            before = known.get(node.id)
            if before is None or before.delay != node.delay:
                beyond = max(beyond, node.instance.processor.warm_frames - node.instance.delay)
        return behind + max(beyond, 0)

    def _chains(self, other: Graph) -> Iterator[tuple[Chain, Chain | None]]:
        """Every chain, and the one of the same bus, group or branch in another graph."""
        theirs = {chain_node.id: chain_node.chain for chain_node in other.chain_nodes()}
        yield self.master, other.master
        for chain_node in self.chain_nodes():
            yield chain_node.chain, theirs.get(chain_node.id)

    def check_finite(self, out: Block) -> None:
        """Refuse a block that is no sound.

        Raises:
            AudioError: a sample is not finite; the stage that it comes from is named, where one holds on to it.
        """
        if np.isfinite(out).all():
            return
        node = next((node for node in self.nodes() if node.is_unstable), None)
        what = "a stage" if node is None else f"'{node.id}' ({node.stage.declared.title.lower()})"
        raise AudioError(f"{what} gives numbers that are no sound; change its settings or switch it off")

    # ---- taps

    def tap(self, stage_id: str | None, kind: Tap = "result") -> None:
        """Let :meth:`process` return what one stage removes or listens to, in time with the result."""
        tapped = self.node(stage_id) if kind != "result" else None
        for node in self.nodes():
            node.tap = kind if node is tapped else "result"
        wanted = NO_TAP if tapped is None else (stage_id, kind)
        if wanted != self.tapped:
            self.tapped = wanted
            self._tap_line = DelayLine(self.delay - tapped.output_latency_frames if tapped else 0)

    def tap_delay(self, stage_id: str | None) -> int:
        """Frames between a stage's output and the end of the signal path."""
        node = self.node(stage_id)
        return self.delay - node.output_latency_frames if node else 0

    def process(self, inputs: Mapping[str, Block], span: Span, traversal: Traversal = ALONE) -> Block:
        """Next block of the sum.

        Args:
            inputs: bus id → (2, frames), all equally long. They are not written to.
            span: where they lie.
            traversal: the block's way, where others are on the signal path; nothing is tapped then.

        Returns:
            (2, frames), ``delay`` frames late; never an alias of an input.
        """
        frames = span.frames
        given: dict[str | None, list[Block]] = {}
        taps: dict[str, Block] = {}
        chain_nodes = self._outer()
        for node_id in self._order:
            parts = [inputs[node_id]] if node_id in inputs else given.pop(node_id, [])
            block = summed(parts) if parts else np.zeros((2, frames))
            done = chain_nodes[node_id].process(block, span, taps, traversal=traversal)
            given.setdefault(self._parents[node_id], []).append(np.ascontiguousarray(done))
        out = self.master.process(summed(given[None]), span, taps, traversal)
        if self.tapped != NO_TAP:
            node = self.node(self.tapped[0])
            tapped = node.tapped if node else None
            out = self._tap_line.push(np.zeros_like(out) if tapped is None else tapped)
        return out.copy() if any(np.may_share_memory(out, block) for block in inputs.values()) else out


def _lanes_of(recipe: Recipe) -> list[tuple[str, str | None]]:
    return [(bus.id, bus.group) for bus in (*recipe.buses, *recipe.groups)]
