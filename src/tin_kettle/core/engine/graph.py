"""The road of the sound: source → bus chain → group → master chain → tap, with every delay compensated.

One graph serves live audition, survey and print; only what drives it differs.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from typing import Self

import numpy as np

from tin_kettle.core.dsp.delay import delayed
from tin_kettle.core.dsp.forking import twin_of
from tin_kettle.core.engine.fading import fade_frames
from tin_kettle.core.engine.slot import Slot, Tap, keys_of
from tin_kettle.core.recipe.lanes import in_order
from tin_kettle.core.recipe.model import Bus, Recipe, Stage
from tin_kettle.core.recipe.reading import check_rate
from tin_kettle.core.stages.processor import Block


class Chain:
    """An ordered list of slots."""

    def __init__(self, stages: Iterable[Stage], rate_hz: float) -> None:
        self.slots = [Slot(stage, rate_hz) for stage in stages]

    @property
    def delay(self) -> int:
        return sum(slot.delay for slot in self.slots)

    def fork(self) -> Self:
        twin = twin_of(self)
        twin.slots = [slot.fork() for slot in self.slots]
        return twin

    def align(self, at: int, tapped_at: Mapping[str, int]) -> int:
        """Line every keyed slot up with its keys; returns how late the chain's output is."""
        for slot in self.slots:
            slot.wait_for_keys(at, tapped_at)
            at += slot.delay
        return at

    def process(self, block: Block, taps: Mapping[str, Block]) -> Block:
        """Next block; ``taps`` are what the buses and groups before gave after their chains."""
        for slot in self.slots:
            slot.hear_keys(taps)
            block = slot.process(block)
        return block


class Fader:
    """A bus's gain, pan and mute; a change travels along a straight line of 10 ms."""

    def __init__(self, bus: Bus, rate_hz: float) -> None:
        self._now = self._goal(bus)
        self._goal_now = self._now
        self._steps = fade_frames(rate_hz)
        self._left = 0

    @staticmethod
    def _goal(bus: Bus, silent: bool = False) -> Block:
        gain = 0.0 if bus.muted or silent else 10.0 ** (bus.gain_db / 20.0)
        return np.array([[gain * min(1.0, 1.0 - bus.pan)], [gain * min(1.0, 1.0 + bus.pan)]])

    def change(self, bus: Bus, silent: bool) -> None:
        """Go to a bus's setting, or to silence where only listening mutes it."""
        goal = self._goal(bus, silent)
        if not np.array_equal(goal, self._goal_now):
            self._goal_now, self._left = goal, self._steps

    def adopt(self, other: Fader) -> None:
        self._now, self._left = other._now, other._left
        goal, self._goal_now = self._goal_now, other._goal_now
        if not np.array_equal(goal, self._goal_now):
            self._goal_now, self._left = goal, self._steps

    def fork(self) -> Self:
        return twin_of(self)  # arrays are replaced, never written to

    def process(self, block: Block) -> Block:
        if not self._left:
            return block if np.all(self._now == 1.0) else block * self._now
        run = min(self._left, block.shape[1])
        step = (self._goal_now - self._now) / self._left
        gains = np.repeat(self._goal_now, block.shape[1], axis=1)
        gains[:, :run] = self._now + step * np.arange(1, run + 1)
        self._left -= run
        self._now = self._now + step * run if self._left else self._goal_now
        return block * gains


class Lane:
    """A bus or group: chain, then fader, then the delay that aligns it with its neighbours."""

    def __init__(self, bus: Bus, rate_hz: float) -> None:
        self.bus = bus
        self.chain = Chain(bus.chain, rate_hz)
        self.fader = Fader(bus, rate_hz)
        self.line = np.zeros((2, 0))

    def fork(self) -> Self:
        twin = twin_of(self)
        twin.chain, twin.fader, twin.line = self.chain.fork(), self.fader.fork(), self.line.copy()
        return twin

    def process(self, block: Block, taps: dict[str, Block]) -> Block:
        """Next block; what leaves the chain is added to ``taps``."""
        taps[self.bus.id] = self.chain.process(block, taps)
        return delayed(self.fader.process(taps[self.bus.id]), self.line)


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
        self.buses = [Lane(bus, rate_hz) for bus in recipe.buses]
        self.groups = {group.id: Lane(group, rate_hz) for group in recipe.groups}
        self.master = Chain(recipe.master, rate_hz)
        self._order = in_order(recipe)
        self._silent: frozenset[str] = frozenset()
        self._tap: tuple[str, Tap] | None = None
        self._tap_line = np.zeros((2, 0))
        self.delay = self._align()

    @property
    def lanes(self) -> dict[str, Lane]:
        """Buses and groups by id."""
        return {**{lane.bus.id: lane for lane in self.buses}, **self.groups}

    def _align(self) -> int:
        """Give every lane the delay that its slowest neighbour needs; returns the delay of the whole road."""
        lanes = self.lanes
        late: dict[str, int] = {}

        def gather(group_id: str | None) -> int:
            children = [lane for lane in lanes.values() if lane.bus.group == group_id]
            latest = max((late[lane.bus.id] for lane in children), default=0)
            for lane in children:
                lane.line = np.zeros((2, latest - late[lane.bus.id]))
            return latest

        for lane_id in self._order:
            start = gather(lane_id) if lane_id in self.groups else 0
            late[lane_id] = lanes[lane_id].chain.align(start, late)
        return self.master.align(gather(None), late)

    def slots(self) -> list[Slot]:
        """Every slot: buses, groups, master, in the order of the recipe."""
        lanes = [*self.buses, *self.groups.values()]
        return [slot for chain in (*(lane.chain for lane in lanes), self.master) for slot in chain.slots]

    def fork(self) -> Self:
        """A copy that goes on from the same state."""
        twin = twin_of(self)
        twin.buses = [lane.fork() for lane in self.buses]
        twin.groups = {name: lane.fork() for name, lane in self.groups.items()}
        twin.master = self.master.fork()
        twin._tap_line = self._tap_line.copy()
        return twin

    def meter(self, on: bool) -> None:
        """Let every slot keep its reading."""
        for slot in self.slots():
            slot.metered = on

    def change(self, recipe: Recipe) -> bool:
        """Go to another recipe without a click, if only values differ and no delay does.

        Returns:
            False where the structure or a delay differs: build another graph then.
        """
        if _shape(recipe) != _shape(self.recipe):
            return False
        check_rate(recipe, self.rate_hz)
        stages = {stage.id: stage for _, chain in recipe.chains() for stage in chain}
        if not all(slot.can_become(stages[slot.stage.id]) for slot in self.slots()):
            return False
        for slot in self.slots():
            slot.change(stages[slot.stage.id])
        self.recipe = recipe
        for bus in (*recipe.buses, *recipe.groups):
            self.lanes[bus.id].bus = bus
        self.silence(self._silent)
        return True

    def silence(self, silent: frozenset[str]) -> None:
        """Let buses be silent for the ear only; their taps still feed the keys."""
        self._silent = silent
        for lane in self.lanes.values():
            lane.fader.change(lane.bus, lane.bus.id in silent)

    def adopt(self, other: Graph) -> bool:
        """Go on from another graph's state, slot by slot, where ids, kinds and all delays agree.

        Returns:
            False, with nothing taken over, where the delays differ.
        """
        if self.delay != other.delay or [b.line.shape for b in self.buses] != [b.line.shape for b in other.buses]:
            return False
        theirs = {slot.stage.id: slot for slot in other.slots()}
        for slot in self.slots():
            known = theirs.get(slot.stage.id)
            if known and known.stage.kind == slot.stage.kind and known.delay == slot.delay:
                slot.adopt(known)
        lanes = other.lanes
        for lane in self.lanes.values():
            if lane.bus.id in lanes:
                lane.fader.adopt(lanes[lane.bus.id].fader)
                if lane.line.shape == lanes[lane.bus.id].line.shape:
                    lane.line[:] = lanes[lane.bus.id].line
        return True

    def tap(self, stage_id: str | None, kind: Tap = "result") -> None:
        """Let :meth:`process` return what one stage removes or listens to, in time with the result."""
        for slot in self.slots():
            slot.tap = kind if slot.stage.id == stage_id else "result"
        wanted = None if stage_id is None or kind == "result" else (stage_id, kind)
        if wanted != self._tap:
            self._tap = wanted
            self._tap_line = np.zeros((2, self._delay_after(stage_id) if stage_id and wanted else 0))

    def _delay_after(self, stage_id: str) -> int:
        for chain, rest in self._chains_with_rest():
            for index, slot in enumerate(chain.slots):
                if slot.stage.id == stage_id:
                    return rest + sum(later.delay for later in chain.slots[index + 1 :])
        return 0

    def delay_through(self, stage_id: str) -> int:
        """Frames between a source and a stage's output."""
        return self.delay - self._delay_after(stage_id)

    def _chains_with_rest(self) -> list[tuple[Chain, int]]:
        """Every chain with the delay between its output and the end of the road."""
        rest: dict[str | None, int] = {None: self.master.delay}
        listed = [(self.master, 0)]
        lanes = self.lanes
        for lane_id in reversed(_children_first(self.recipe)):
            lane = lanes[lane_id]
            after = rest[lane.bus.group] + lane.line.shape[1]
            listed.append((lane.chain, after))
            rest[lane_id] = after + lane.chain.delay
        return listed

    def process(self, inputs: Mapping[str, Block]) -> Block:
        """Next block of the sum.

        Args:
            inputs: bus id → (2, frames), all equally long. They are not written to.

        Returns:
            (2, frames), ``delay`` frames late; never an alias of an input.
        """
        frames = next(iter(inputs.values())).shape[1]
        sums: dict[str | None, Block] = {}
        taps: dict[str, Block] = {}
        lanes = self.lanes
        for lane_id in self._order:
            lane = lanes[lane_id]
            block = inputs[lane_id] if lane_id in inputs else sums.pop(lane_id, None)
            done = lane.process(np.zeros((2, frames)) if block is None else block, taps)
            self._add(sums, lane.bus.group, done)
        out = self.master.process(sums[None], taps)
        if self._tap:
            tapped = next((s.tapped for s in self.slots() if s.stage.id == self._tap[0]), None)
            return delayed(tapped if tapped is not None else np.zeros_like(out), self._tap_line)
        return out

    @staticmethod
    def _add(sums: dict[str | None, Block], into: str | None, block: Block) -> None:
        sums[into] = sums[into] + block if into in sums else block.copy()


def _children_first(recipe: Recipe) -> list[str]:
    """Ids of buses and groups, each before the group it feeds."""
    parents = {bus.id: bus.group for bus in (*recipe.buses, *recipe.groups)}

    def depth(lane_id: str) -> int:
        parent = parents[lane_id]
        return 0 if parent is None else 1 + depth(parent)

    return sorted(parents, key=depth, reverse=True)


def _shape(recipe: Recipe) -> list[object]:
    chains = [(path, [(s.id, s.kind, keys_of(s)) for s in chain]) for path, chain in recipe.chains()]
    lanes = [(bus.id, bus.group) for bus in (*recipe.buses, *recipe.groups)]
    return [chains, lanes]
