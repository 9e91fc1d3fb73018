"""The recipe document: everything that turns the sources into the print.

The classes mirror ``*.kettle.json`` field by field; the stages come from their declarations.
"""

from __future__ import annotations

from functools import reduce
from operator import or_
from typing import TYPE_CHECKING, Annotated, Any, Literal, cast

from pydantic import ConfigDict, Field, create_model

from tin_kettle.core.stages import KINDS
from tin_kettle.core.stages.declare import Channels, Kind, Params

FORMAT = "tin-kettle-recipe"
VERSION = 1
Id = Annotated[str, Field(min_length=1, max_length=64, pattern=r"^[A-Za-z0-9_\-]+$")]


class Part(Params):
    """Base of every part of the document."""


class Stage(Part):
    """A processor in a chain. The concrete classes, one a kind, are in :data:`STAGES`."""

    id: Id
    kind: str
    on: bool = True
    channels: Channels = "stereo"
    mix: float = Field(default=1.0, ge=0, le=1)
    params: Params

    @property
    def declared(self) -> Kind:
        """The declaration of its kind."""
        return KINDS[self.kind]


def _stage_class(kind: Kind) -> type[Stage]:
    fields: dict[str, Any] = {
        "kind": (Literal[kind.name], kind.name),
        "params": (kind.params, Field(default_factory=kind.params)),
    }
    if len(kind.channels) == 1:
        fields["channels"] = (Literal[kind.channels], kind.channels[0])
    if not kind.mixes:
        fields["mix"] = (float, Field(default=1.0, ge=1, le=1))
    name = "".join(word.title() for word in kind.name.split("_")) + "Stage"
    return cast(type[Stage], create_model(name, __base__=Stage, __doc__=kind.says, **fields))


STAGES: dict[str, type[Stage]] = {name: _stage_class(kind) for name, kind in KINDS.items()}
if TYPE_CHECKING:
    AnyStage = Stage
else:
    AnyStage = Annotated[reduce(or_, STAGES.values()), Field(discriminator="kind")]
Chain = tuple[AnyStage, ...]


class Bus(Part):
    """One printed source and what is done to it before the sum. A group is a bus without a file."""

    id: Id
    name: str = Field(default="", max_length=120)
    group: Id | None = None
    chain: Chain = Field(default=(), strict=False)
    gain_db: float = Field(default=0.0, ge=-60, le=24)
    pan: float = Field(default=0.0, ge=-1, le=1)
    muted: bool = False


class Section(Part):
    """A named part of the song's time, in seconds."""

    id: Id
    name: str = Field(default="", max_length=120)
    start_s: float = Field(ge=0)
    end_s: float = Field(gt=0)


class SectionTime(Part):
    """A time that moves with a section."""

    section: Id
    edge: Literal["start", "end"] = "start"
    offset_s: float = 0.0


class Point(Part):
    """A value at a time, and how it travels to the next."""

    at: float | SectionTime
    value: float | bool | str
    ramp: Literal["hold", "line", "smooth"] = "hold"


class Ride(Part):
    """Automation of one parameter."""

    target: Id
    param: str = Field(min_length=1)
    points: tuple[Point, ...] = Field(min_length=1, strict=False)


class Recipe(Part):
    """The document. Fields that are left out take their defaults."""

    model_config = ConfigDict(title="Tin Kettle recipe")

    format: Literal["tin-kettle-recipe"]
    version: Literal[1]
    buses: tuple[Bus, ...] = Field(default=(Bus(id="mix", name="Mix"),), min_length=1, strict=False)
    groups: tuple[Bus, ...] = Field(default=(), strict=False)
    master: Chain = Field(default=(), strict=False)
    sections: tuple[Section, ...] = Field(default=(), strict=False)
    automation: tuple[Ride, ...] = Field(default=(), max_length=0, strict=False)

    def chains(self) -> list[tuple[str, tuple[Stage, ...]]]:
        """Every chain with its JSON path: buses, groups, master."""
        listed: list[tuple[str, tuple[Stage, ...]]] = []
        for kind, buses in (("buses", self.buses), ("groups", self.groups)):
            listed += [(f"$.{kind}[{i}].chain", bus.chain) for i, bus in enumerate(buses)]
        return [*listed, ("$.master", self.master)]

    def stage(self, stage_id: str) -> Stage | None:
        """The stage of that id, wherever it is."""
        return next((s for _, chain in self.chains() for s in chain if s.id == stage_id), None)


def empty_recipe() -> Recipe:
    """One bus, no stages: the print is a copy."""
    return Recipe(format="tin-kettle-recipe", version=1)
