"""How a stage declares itself, once: its parameters, its processor, its picture and its words.

Validation, JSON Schema, the front end's types and controls, and the manual come from these declarations.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from functools import lru_cache
from typing import Annotated, Any, Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, ConfigDict, Field

from tin_kettle.core.stages.processor import Processor

Scale = Literal["linear", "log"]
Channels = Literal["stereo", "mid", "side", "left", "right"]
Id = Annotated[str, Field(min_length=1, max_length=64, pattern=r"^[A-Za-z0-9_\-]+$")]
ALL_CHANNELS: tuple[Channels, ...] = ("stereo", "mid", "side", "left", "right")


class Params(BaseModel):
    """Base of every parameter set: unknown names, wrong types, NaN and values out of range are refused."""

    model_config = ConfigDict(extra="forbid", strict=True, frozen=True, allow_inf_nan=False)


def number(
    default: float,
    low: float,
    high: float,
    *,
    label: str,
    says: str,
    unit: str = "",
    scale: Scale = "linear",
    ticks: tuple[float, ...] = (),
    follows: bool = False,
    delays: bool = False,
) -> Any:
    """A number from ``low`` to ``high``: its label, its unit and one sentence on what it does to the sound.

    ``follows`` where the processor can be steered while it runs; ``delays`` where another value means another delay.
    """
    about: dict[str, Any] = {"label": label, "says": says, "unit": unit, "scale": scale, "ticks": list(ticks)}
    about |= {"follows": follows, "delays": delays}
    return Field(default=default, ge=low, le=high, json_schema_extra=about)


def choice(default: Any, *, label: str, says: str, unit: str = "", delays: bool = False) -> Any:
    """One of the values of the field's ``Literal`` type."""
    return Field(default=default, json_schema_extra={"label": label, "says": says, "unit": unit, "delays": delays})


def switch(default: bool, *, label: str, says: str, delays: bool = False) -> Any:
    """On or off."""
    return Field(default=default, json_schema_extra={"label": label, "says": says, "delays": delays})


def _type(schema: dict[str, Any]) -> str:
    if "enum" in schema or "const" in schema:
        return "choice"
    return "numbers" if schema.get("items", {}).get("type") == "number" else schema.get("type", "array")


@lru_cache(maxsize=256)
def describe_params(params: type[BaseModel]) -> tuple[dict[str, Any], ...]:
    """A parameter set as plain values, from its JSON Schema: name, type, words, unit, range, scale, default …"""
    listed = []
    whole = params.model_json_schema()
    # what can hold itself is described by reference
    described = whole["$defs"][whole["$ref"].rsplit("/", 1)[1]] if "$ref" in whole else whole
    for name, schema in described["properties"].items():
        # a list of plain numbers has the limits of each
        numbers = schema.get("items", {}) if schema.get("items", {}).get("type") == "number" else schema
        listed.append(
            {
                "name": name,
                "type": _type(schema),
                "label": schema.get("label", name),
                "says": schema.get("says", ""),
                "unit": schema.get("unit", ""),
                "default": schema.get("default"),
                "low": numbers.get("minimum"),
                "high": numbers.get("maximum"),
                "scale": schema.get("scale", "linear"),
                "ticks": schema.get("ticks", []),
                "choices": schema.get("enum", [schema["const"]] if "const" in schema else []),
                "follows": schema.get("follows", False),
                "delays": schema.get("delays", False),
            }
        )
    return tuple(listed)


@dataclass(frozen=True)
class Items:
    """A list of parts that a stage holds, such as bands.

    Args:
        title: what one is called.
        params: its parameters; with an ``id`` among them it is addressed by that, else by its place.
        words: one in an engineer's words, or nothing.
        none: what it is called when there is none.
        place: where in the spectrum one works, in words, of a stage's parameters and its place among its like: for
            parts that read a gain of their own, ``effort_`` and their id.
    """

    title: str
    params: type[Params]
    words: Callable[[Any], str]
    none: str = "none"
    place: Callable[[Any, int], str] | None = None


@dataclass(frozen=True)
class Ease:
    """What a dynamic stage is for, and how it is given less to do.

    Args:
        limit_db: working harder than this for long, the answer may lie in the mix.
        words: what is tried.
        params: parameters of a setting that works less.
        share: of the song; single loud moments are what these stages are for.
    """

    limit_db: float
    words: str
    params: Callable[[Any], dict[str, float]]
    share: float = 0.1


Picture = dict[str, Any]
"""What the front end draws for a stage: named arrays of plain numbers, computed here."""


@dataclass(frozen=True)
class Kind:
    """A kind of stage.

    Args:
        name: the ``kind`` in a recipe.
        title: its name on screen.
        says: what it is for, in a sentence.
        sought: trade words by which somebody looks for it.
        params: its parameters.
        build: makes its processor for a rate in Hz.
        picture: what is drawn for it at a rate in Hz.
        summary: its setting in an engineer's words.
        hz_params: frequencies that must lie below 0.49 × rate.
        response: (2, 2, points), what left and right become of left and right, where the stage is linear.
        keys: ids of the buses and groups that its detector listens to instead of its own input.
        channels: what it may treat.
        mixes: whether ``mix`` below 1 is allowed.
        mix: what it is where nothing is said.
        dynamic: whether it reports effort, and has a detector to listen to.
        level: the parameter that makes all that leaves it louder or quieter, None where there is none.
        pushes: the parameter that pushes the song up against what the stage does to its peaks.
        louder: whether its controls change how loud the song is, so that only a match tells what else they do.
        items: field → what its lists hold.
        crossovers_hz: corners of the crossovers that the sound itself passes: at rest it is an all-pass with these.
        check: what no single value of its parameters shows to be wrong: where, after ``params``, and the problem.
        hold: of a stage that promises a ceiling, makes what holds it once more: of its parameters, for a rate in Hz,
            at another ceiling in dBTP where one is given.
        ease: how one that works too hard is eased.
        told: what its processor did over the song (:meth:`Processor.over_song`), in words.
        columns: its controls on screen by purpose: a heading, and names of parameters, ``mix`` among them. What stands
            in none has a place of its own; where there are no columns at all, every parameter stands in one.
        active_when: a parameter that does nothing but while another one has this value.
    """

    name: str
    title: str
    says: str
    sought: tuple[str, ...]
    params: type[Params]
    build: Callable[[Any, float], Processor]
    picture: Callable[[Any, float], Picture]
    summary: Callable[[Any], str]
    hz_params: Callable[[Any], list[tuple[str, float]]] = field(default=lambda _params: [])
    response: Callable[[Any, NDArray[np.float64], float], NDArray[np.complex128]] | None = None
    keys: Callable[[Any], tuple[str, ...]] = field(default=lambda _params: ())
    channels: tuple[Channels, ...] = ALL_CHANNELS
    mixes: bool = True
    mix: float = 1.0
    dynamic: bool = False
    level: str | None = None
    pushes: str | None = None
    louder: bool = False
    items: Mapping[str, Items] = field(default_factory=dict)
    crossovers_hz: Callable[[Any], tuple[float, ...]] = field(default=lambda _params: ())
    check: Callable[[Any], tuple[str, str] | None] = field(default=lambda _params: None)
    hold: Callable[[Any, float, float | None], Processor] | None = None
    ease: Ease | None = None
    told: Callable[[Mapping[str, NDArray[np.floating[Any]]]], str] | None = None
    columns: tuple[tuple[str, tuple[str, ...]], ...] = ()
    active_when: Mapping[str, tuple[str, bool | str]] = field(default_factory=dict)
