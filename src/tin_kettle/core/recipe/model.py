"""The recipe document: everything that turns the sources into the print.

The classes mirror ``*.kettle.json`` field by field; the stages come from their declarations.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from functools import reduce
from operator import or_
from typing import TYPE_CHECKING, Annotated, Literal, TypeVar

from pydantic import ConfigDict, Field

from tin_kettle.core.stages import KINDS
from tin_kettle.core.stages.declarations import Id, Params, number, switch
from tin_kettle.core.stages.split import SplitParams
from tin_kettle.core.stages.stage import Branch, Stage, stage_class

FORMAT = "tin-kettle-recipe"
VERSION = 1
MOST_LANES = 200
"""Buses, and as many groups."""
MOST_SECTIONS = 1000
WEEK_S = 7 * 24 * 3600.0
"""No time in a song lies further away."""
Time = Annotated[float, Field(ge=-WEEK_S, le=WEEK_S)]
STAGES: dict[str, type[Stage]] = {name: stage_class(kind) for name, kind in KINDS.items()}
if TYPE_CHECKING:
    AnyStage = Stage
else:
    AnyStage = Annotated[reduce(or_, STAGES.values()), Field(discriminator="kind")]
    # splits hold stages of every kind, themselves among them
    for _model in (Branch, SplitParams, *STAGES.values()):
        _model.model_rebuild(force=True, _types_namespace={"AnyStage": AnyStage})
Chain = tuple[AnyStage, ...]


class Bus(Params):
    """One printed source and what is done to it before the sum. A group is a bus without a file."""

    id: Id
    name: str = Field(default="", max_length=120)
    group: Id | None = None
    chain: Chain = Field(default=(), strict=False)
    gain_db: float = number(
        0,
        -60,
        24,
        label="Level",
        unit="dB",
        ticks=(-60, -36, -12, 0, 12, 24),
        says="Sets the level of the bus after its chain.",
        follows=True,
    )
    pan: float = number(
        0,
        -1,
        1,
        label="Pan",
        ticks=(-1, 0, 1),
        says="Turns one channel down: the right below zero, the left above.",
        follows=True,
    )
    muted: bool = switch(
        False, label="Mute in the print", says="Leaves the bus out of the print. Side-chain inputs still receive it."
    )


Owner = Bus | Branch
"""Whatever has a chain and a level beside others."""


@dataclass(frozen=True)
class StageLocation:
    """Where a stage stands.

    Args:
        path: its JSON path.
        bus: the bus or group whose sound it is, None on the master.
        owner: whose chain it is in: that of a branch, of the bus, or None for the master.
    """

    path: str
    bus: Bus | None
    owner: Owner | None
    stage: Stage


class Section(Params):
    """A named part of the song's time, in seconds."""

    id: Id
    name: str = Field(default="", max_length=120)
    start_s: float = Field(ge=0, le=WEEK_S)
    end_s: float = Field(gt=0, le=WEEK_S)


class SectionTime(Params):
    """A time that moves with a section."""

    section: Id
    edge: Literal["start", "end"] = "start"
    offset_s: Time = 0.0


Ramp = Literal["hold", "line", "smooth"]


class Point(Params):
    """A value at a time, and how it travels to the next."""

    at: Time | SectionTime
    value: float | bool | str
    ramp: Ramp = "hold"


class ParameterAutomation(Params):
    """Automation of one parameter."""

    target: Id
    param: str = Field(min_length=1)
    points: tuple[Point, ...] = Field(min_length=1, max_length=10000, strict=False)


class Recipe(Params):
    """The document. Fields that are left out take their defaults."""

    model_config = ConfigDict(title="Tin Kettle recipe")

    format: Literal["tin-kettle-recipe"]
    version: Literal[1]
    buses: tuple[Bus, ...] = Field(
        default=(Bus(id="mix", name="Mix"),), min_length=1, max_length=MOST_LANES, strict=False
    )
    groups: tuple[Bus, ...] = Field(default=(), max_length=MOST_LANES, strict=False)
    master: Chain = Field(default=(), strict=False)
    sections: tuple[Section, ...] = Field(default=(), max_length=MOST_SECTIONS, strict=False)
    automation: tuple[ParameterAutomation, ...] = Field(default=(), max_length=1000, strict=False)

    def buses_and_groups(self) -> dict[str, Bus]:
        """Buses and groups by id."""
        return {bus.id: bus for bus in (*self.buses, *self.groups)}

    def walk(self) -> Iterator[StageLocation]:
        """Every stage at any depth, a split before what is in it: buses, groups, master."""
        for kind, buses in (("buses", self.buses), ("groups", self.groups)):
            for i, bus in enumerate(buses):
                yield from _walk(f"$.{kind}[{i}].chain", bus, bus, bus.chain)
        yield from _walk("$.master", None, None, self.master)

    def stages(self) -> Iterator[Stage]:
        """Every stage at any depth."""
        return (place.stage for place in self.walk())

    def stage(self, stage_id: str) -> Stage | None:
        """The stage of that id, wherever it is."""
        return next((stage for stage in self.stages() if stage.id == stage_id), None)

    def map_stages(self, change: Callable[[Stage], Stage]) -> Recipe:
        """The document with every stage at any depth changed, what is in a split before the split itself."""
        return self.map_chains(lambda chain, _owner: tuple(change(stage) for stage in chain))

    def map_chains(self, change: Callable[[Chain, Owner | None], Chain]) -> Recipe:
        """The document with every chain at any depth changed, the innermost first; given are a chain and its owner."""

        def inside(stage: Stage) -> Stage:
            if not stage.branches:
                return stage
            return stage.with_branches(tuple(owned(branch) for branch in stage.branches))

        def owned(owner: AnyOwner) -> AnyOwner:
            return owner.model_copy(update={"chain": change(tuple(map(inside, owner.chain)), owner)})

        return self.model_copy(
            update={
                "buses": tuple(owned(bus) for bus in self.buses),
                "groups": tuple(owned(group) for group in self.groups),
                "master": change(tuple(map(inside, self.master)), None),
            }
        )

    def as_received(self) -> Recipe:
        """The same buses as they came: no stage, every fader at nought."""
        buses = tuple(Bus(id=bus.id, name=bus.name) for bus in self.buses)
        return Recipe(format="tin-kettle-recipe", version=1, buses=buses)

    def without(self, stage_id: str | None) -> Recipe:
        """The document with one stage off, or with all of them."""
        off = {"on": False}
        changed = self.map_stages(lambda stage: stage.model_copy(update=off) if stage_id in (None, stage.id) else stage)
        # a ride would switch it on again
        kept = [r for r in self.automation if not (stage_id in (None, r.target) and r.param == "on")]
        return changed.model_copy(update={"automation": tuple(kept)})


AnyOwner = TypeVar("AnyOwner", Bus, Branch)


def _walk(path: str, bus: Bus | None, owner: Owner | None, chain: Chain) -> Iterator[StageLocation]:
    for i, stage in enumerate(chain):
        where = f"{path}[{i}]"
        yield StageLocation(where, bus, owner, stage)
        for j, branch in enumerate(stage.branches):
            yield from _walk(f"{where}.params.branches[{j}].chain", bus, branch, branch.chain)


def empty_recipe() -> Recipe:
    """One bus, no stages: the print is a copy."""
    return Recipe(format="tin-kettle-recipe", version=1)
