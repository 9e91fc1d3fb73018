"""A stage in a recipe: its id, its kind, what every kind shares, and the branches of those that divide the sound."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any, ClassVar, Literal, TypeAlias, cast

from pydantic import Field, create_model

from tin_kettle.core.stages.declarations import Channels, Id, Kind, Params, choice, number, switch


def mix_of(default: float) -> Any:
    """The mix of a stage whose kind begins with that."""
    says = "How much of the treated sound, against the untouched."
    return number(default, 0, 1, label="Mix", says=says, ticks=(0, 0.5, 1), follows=True)


class Stage(Params):
    """A processor in a chain. The concrete classes, one a kind, are made by :func:`stage_class`."""

    id: Id
    kind: str
    on: bool = switch(True, label="On", says="Turns the stage on or off.")
    channels: Channels = choice("stereo", label="Channels", says="Works on stereo, mid, side, left or right.")
    mix: float = mix_of(1.0)
    params: Params

    declared: ClassVar[Kind]
    """The declaration of its kind."""

    @property
    def branches(self) -> tuple[Branch, ...]:
        """The chains that it divides the sound into; none for all but splits."""
        return getattr(self.params, "branches", ())

    def with_branches(self, branches: tuple[Branch, ...]) -> Stage:
        """The same stage with other branches."""
        return self.model_copy(update={"params": self.params.model_copy(update={"branches": branches})})


if TYPE_CHECKING:
    AnyStage: TypeAlias = Stage  # one of the classes of all kinds, which :mod:`tin_kettle.core.recipe.model` puts in


class Branch(Params):
    """A chain beside others, with a level, a place and a width."""

    id: Id
    name: str = Field(default="", max_length=120)
    muted: bool = switch(False, label="Mute in the print", says="Leaves this branch out of the print.")
    gain_db: float = number(
        0,
        -24,
        24,
        label="Level",
        unit="dB",
        ticks=(-24, -12, -6, 0, 6, 12, 24),
        says="Sets the level of this branch.",
        follows=True,
    )
    pan: float = number(
        0,
        -1,
        1,
        label="Pan",
        ticks=(-1, -0.5, 0, 0.5, 1),
        says="Turns one channel of this branch down: the right below zero, the left above.",
        follows=True,
    )
    width: float = number(
        1,
        0,
        2,
        label="Width",
        ticks=(0, 0.5, 1, 1.5, 2),
        says="Sets the stereo width of this branch: 0 is mono, above 1 is wider than the input.",
        follows=True,
    )
    chain: tuple[AnyStage, ...] = Field(default=(), strict=False)


def stage_class(kind: Kind) -> type[Stage]:
    """The class of a kind's stages, with its parameters and what it allows."""
    needed = any(field.is_required() for field in kind.params.model_fields.values())
    fields: dict[str, Any] = {
        "kind": (Literal[kind.name], kind.name),
        "params": (kind.params, ... if needed else Field(default_factory=kind.params)),
    }
    if len(kind.channels) == 1:
        fields["channels"] = (Literal[kind.channels], kind.channels[0])
    if kind.mix != 1.0:
        fields["mix"] = (float, mix_of(kind.mix))
    if not kind.mixes:
        fields["mix"] = (float, Field(default=1.0, ge=1, le=1))
    name = "".join(word.title() for word in kind.name.split("_")) + "Stage"
    made = cast(type[Stage], create_model(name, __base__=Stage, __doc__=kind.says, **fields))
    made.declared = kind
    return made
