"""The road of the sound: source → bus chain → group → master chain → tap, with every delay compensated.

One graph serves live audition, survey and print; only what drives it differs.
"""

from __future__ import annotations

import itertools
from collections.abc import Iterator, Mapping
from typing import Self

import numpy as np

from tin_kettle.core.dsp.block import Block
from tin_kettle.core.dsp.delay import Line
from tin_kettle.core.dsp.state_copy import twin_of
from tin_kettle.core.dsp.summing import summed
from tin_kettle.core.dsp.timeline import Span
from tin_kettle.core.engine.graph.automation_values import rides_of
from tin_kettle.core.engine.graph.meters import Reading
from tin_kettle.core.engine.graph.nodes import Chain, Lane
from tin_kettle.core.engine.graph.stage_instance import Tap
from tin_kettle.core.engine.graph.stage_node import Slot, keys_of
from tin_kettle.core.engine.graph.traversal import ALONE, Walk
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
        self._rides = rides_of(recipe, rate_hz)
        self.buses = {bus.id: Lane(bus, self._rides, rate_hz) for bus in recipe.buses}
        self.groups = {group.id: Lane(group, self._rides, rate_hz) for group in recipe.groups}
        self.master = Chain(recipe.master, self._rides, rate_hz)
        self._order = in_order(recipe)
        self._parents = {bus.id: bus.group for bus in (*recipe.buses, *recipe.groups)}
        self.silent: frozenset[str] = frozenset()
        self.tapped: tuple[str | None, Tap] = NO_TAP
        self._tap_line = Line(0)
        self.delay = self._align()

    def _align(self) -> int:
        """Give every lane the delay that its slowest neighbour needs; returns the delay of the whole road."""
        lanes = self._outer()
        late: dict[str, int] = {}

        def gather(group_id: str | None) -> int:
            children = [lane_id for lane_id, parent in self._parents.items() if parent == group_id]
            latest = max((late[lane_id] for lane_id in children), default=0)
            for lane_id in children:
                lanes[lane_id].line = Line(latest - late[lane_id])
            return latest

        for lane_id in self._order:
            start = gather(lane_id) if lane_id in self.groups else 0
            late[lane_id] = lanes[lane_id].chain.align(start, late)
        return self.master.align(gather(None), late)

    def _outer(self) -> dict[str, Lane]:
        """Buses and groups by id."""
        return {**self.buses, **self.groups}

    def lanes(self) -> Iterator[Lane]:
        """Every bus, group and branch."""
        for lane in self._outer().values():
            yield lane
            yield from lane.chain.lanes()
        yield from self.master.lanes()

    def slots(self) -> Iterator[Slot]:
        """Every slot at any depth: buses, groups, master, in the order of the recipe."""
        for lane in self._outer().values():
            yield from lane.chain.walk()
        yield from self.master.walk()

    def slot(self, stage_id: str | None) -> Slot | None:
        """The slot of a stage."""
        return next((slot for slot in self.slots() if slot.id == stage_id), None)

    @property
    def memory_s(self) -> float:
        """How long ago still matters to what is heard now."""
        return max(lane.chain.memory_s for lane in self._outer().values()) + self.master.memory_s

    @property
    def tail_s(self) -> float:
        """How long it rings on after the sources end."""
        return max(lane.chain.tail_s for lane in self._outer().values()) + self.master.tail_s

    def sleep(self, frames: int, least: int) -> None:
        """Before so many frames of warming up: let each slot begin only as long before their end as still matters.

        Args:
            frames: what is going to be heard.
            least: frames that everything is to hear, whatever it remembers.
        """
        groups = sum(self.groups[name].chain.memory_s for name in self.groups)
        chains = [(self.master, 0.0)]
        chains += [(lane.chain, self.master.memory_s) for lane in self.groups.values()]
        chains += [(lane.chain, self.master.memory_s + groups) for lane in self.buses.values()]
        for chain, behind_s in chains:
            matters_s = behind_s
            for slot in reversed(chain.slots):
                matters_s += slot.memory_s
                slot.sleep(frames - max(round(matters_s * self.rate_hz), least))

    def fork(self) -> Self:
        """A copy that goes on from the same state."""
        twin = twin_of(self)
        twin.buses = {name: lane.fork() for name, lane in self.buses.items()}
        twin.groups = {name: lane.fork() for name, lane in self.groups.items()}
        twin.master = self.master.fork()
        twin._tap_line = self._tap_line.fork()
        return twin

    def meter(self, on: bool) -> None:
        """Let every slot and lane keep its reading."""
        for slot in self.slots():
            slot.metered = on
        for lane in self.lanes():
            lane.metered = on

    def readings(self) -> dict[str, Reading]:
        """What stages, branches, buses and groups read of the last block, by id."""
        parts: Iterator[Slot | Lane] = itertools.chain(self.slots(), self.lanes())
        found = {part.id: part.reading for part in parts}
        return {name: reading for name, reading in found.items() if reading is not None}

    # ---- another recipe

    def reach(self, recipe: Recipe, silent: frozenset[str]) -> int | None:
        """How far behind the sources' end of the road lies what :meth:`change` would change: frames until all is heard.

        None where the structure or a delay differs: build another graph then.
        """
        if _lanes_of(recipe) != _lanes_of(self.recipe) or not self._can_become(recipe):
            return None
        rides = rides_of(recipe, self.rate_hz)
        stages = {stage.id: stage for stage in recipe.stages()}
        owners: dict[str, Owner] = dict(recipe.lanes())
        owners |= {branch.id: branch for stage in stages.values() for branch in stage.branches}
        places = [slot.late_out for slot in self.slots() if slot.differs(stages[slot.id], rides)]
        for lane in self.lanes():
            name = lane.id
            if lane.differs(owners[name], rides, name in silent):
                places.append(lane.chain.late_out)
        # siblings of what changes are brought in phase with it before they wait for each other
        for slot in self.slots():
            places += slot.rephased(stages[slot.id], rides)
        return max((self.delay - place for place in places), default=0)

    def _can_become(self, recipe: Recipe) -> bool:
        outer = self._outer()
        if not all(outer[name].chain.can_become(bus.chain) for name, bus in recipe.lanes().items()):
            return False
        if not self.master.can_become(recipe.master):
            return False
        rides = rides_of(recipe, self.rate_hz)
        keys = {stage.id: keys_of(stage, rides) for stage in recipe.stages()}
        return all(keys_of(slot.stage, self._rides) == keys[slot.id] for slot in self.slots())

    def change(self, recipe: Recipe) -> None:
        """Go to another recipe without a click, where :meth:`reach` says that it can be done.

        Raises:
            RecipeError: a frequency lies above what the rate carries; nothing has changed then.
        """
        check_rate(recipe, self.rate_hz)
        self.recipe, self._rides = recipe, rides_of(recipe, self.rate_hz)
        outer = self._outer()
        for name, bus in recipe.lanes().items():
            outer[name].chain.change(bus.chain, self._rides)
            outer[name].change(bus, self._rides, outer[name].silent)
        self.master.change(recipe.master, self._rides)

    def silence(self, silent: frozenset[str]) -> None:
        """Let buses and branches be silent for the ear only; their taps still feed the keys."""
        self.silent = silent
        for lane in self.lanes():
            lane.silence(lane.id in silent)

    def adopt(self, other: Graph) -> None:
        """Go on from another graph's state, slot by slot, where ids, kinds and own delays agree."""
        slots = {slot.id: slot for slot in other.slots()}
        for slot in self.slots():
            if slot.id in slots:
                slot.adopt(slots[slot.id])
        lanes = {lane.id: lane for lane in other.lanes()}
        for lane in self.lanes():
            if lane.id in lanes:
                lane.adopt(lanes[lane.id])

    def news(self, other: Graph) -> int:
        """Frames that it has to hear, before the first that counts, where it goes on from another graph's state.

        As long as the way from the first place that differs to the end of the road, and what a stage that is new there
        has to have heard beyond its own delay.
        """
        known = {slot.id: slot for slot in other.slots()}
        lanes = {lane.id: lane.line.frames for lane in other.lanes()}
        behind = beyond = 0
        for lane in self.lanes():
            if lanes.get(lane.id) != lane.line.frames:
                behind = max(behind, self.delay - lane.chain.late_out)
        for chain, theirs in self._chains(other):
            names = [slot.id for slot in theirs.slots] if theirs else []
            for at, slot in enumerate(chain.slots):
                before = known.get(slot.id)
                if at >= len(names) or names[at] != slot.id or before is None or before.delay != slot.delay:
                    behind = max(behind, self.delay - (slot.late_out - slot.delay))
                    break
            else:
                if len(names) > len(chain.slots):
                    behind = max(behind, self.delay - chain.late_out)
        for slot in self.slots():
            before = known.get(slot.id)
            if before is None or before.delay != slot.delay:
                beyond = max(beyond, slot.voice.processor.warm_frames - slot.voice.delay)
        return behind + max(beyond, 0)

    def _chains(self, other: Graph) -> Iterator[tuple[Chain, Chain | None]]:
        """Every chain, and the one of the same bus, group or branch in another graph."""
        theirs = {lane.id: lane.chain for lane in other.lanes()}
        yield self.master, other.master
        for lane in self.lanes():
            yield lane.chain, theirs.get(lane.id)

    def check_finite(self, out: Block) -> None:
        """Refuse a block that is no sound.

        Raises:
            AudioError: a sample is not finite; the stage that it comes from is named, where one holds on to it.
        """
        if np.isfinite(out).all():
            return
        slot = next((slot for slot in self.slots() if slot.is_unstable), None)
        what = "a stage" if slot is None else f"'{slot.id}' ({slot.stage.declared.title.lower()})"
        raise AudioError(f"{what} gives numbers that are no sound; change its settings or switch it off")

    # ---- taps

    def tap(self, stage_id: str | None, kind: Tap = "result") -> None:
        """Let :meth:`process` return what one stage removes or listens to, in time with the result."""
        tapped = self.slot(stage_id) if kind != "result" else None
        for slot in self.slots():
            slot.tap = kind if slot is tapped else "result"
        wanted = NO_TAP if tapped is None else (stage_id, kind)
        if wanted != self.tapped:
            self.tapped = wanted
            self._tap_line = Line(self.delay - tapped.late_out if tapped else 0)

    def tap_delay(self, stage_id: str | None) -> int:
        """Frames between a stage's output and the end of the road."""
        slot = self.slot(stage_id)
        return self.delay - slot.late_out if slot else 0

    def process(self, inputs: Mapping[str, Block], span: Span, walk: Walk = ALONE) -> Block:
        """Next block of the sum.

        Args:
            inputs: bus id → (2, frames), all equally long. They are not written to.
            span: where they lie.
            walk: the block's way, where others are on the road; nothing is tapped then.

        Returns:
            (2, frames), ``delay`` frames late; never an alias of an input.
        """
        frames = span.frames
        given: dict[str | None, list[Block]] = {}
        taps: dict[str, Block] = {}
        lanes = self._outer()
        for lane_id in self._order:
            parts = [inputs[lane_id]] if lane_id in inputs else given.pop(lane_id, [])
            block = summed(parts) if parts else np.zeros((2, frames))
            done = lanes[lane_id].process(block, span, taps, walk=walk)
            given.setdefault(self._parents[lane_id], []).append(np.ascontiguousarray(done))
        out = self.master.process(summed(given[None]), span, taps, walk)
        if self.tapped != NO_TAP:
            slot = self.slot(self.tapped[0])
            tapped = slot.tapped if slot else None
            out = self._tap_line.push(np.zeros_like(out) if tapped is None else tapped)
        return out.copy() if any(np.may_share_memory(out, block) for block in inputs.values()) else out


def _lanes_of(recipe: Recipe) -> list[tuple[str, str | None]]:
    return [(bus.id, bus.group) for bus in (*recipe.buses, *recipe.groups)]
