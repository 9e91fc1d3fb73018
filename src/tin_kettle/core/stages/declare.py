"""How a stage declares itself, once: its parameters, its processor, its picture and its words.

Validation, JSON Schema, the front end's types and controls, and the manual come from these declarations.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, ConfigDict, Field

from tin_kettle.core.stages.processor import Processor

Scale = Literal["linear", "log"]
Channels = Literal["stereo", "mid", "side", "left", "right"]
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
) -> Any:
    """A number from ``low`` to ``high``: its label, its unit and one sentence on what it does to the sound."""
    about: dict[str, Any] = {"label": label, "says": says, "unit": unit, "scale": scale, "ticks": list(ticks)}
    return Field(default=default, ge=low, le=high, json_schema_extra=about)


def choice(default: Any, *, label: str, says: str, unit: str = "") -> Any:
    """One of the values of the field's ``Literal`` type."""
    return Field(default=default, json_schema_extra={"label": label, "says": says, "unit": unit})


def switch(default: bool, *, label: str, says: str) -> Any:
    """On or off."""
    return Field(default=default, json_schema_extra={"label": label, "says": says})


Picture = dict[str, Any]
"""What the front end draws for a stage: named arrays of plain numbers, computed here."""


@dataclass(frozen=True)
class Kind:
    """A kind of stage.

    Args:
        name: the ``kind`` in a recipe.
        title: its name on screen.
        says: what it is for, in a sentence.
        params: its parameters.
        build: makes its processor for a rate in Hz.
        picture: what is drawn for it at a rate in Hz.
        summary: its setting in an engineer's words.
        hz_params: frequencies that must lie below 0.49 × rate.
        response: (2, 2, points), what left and right become of left and right, where the stage is linear.
        keys: ids of the buses and groups that its detector listens to instead of its own input.
        channels: what it may treat.
        mixes: whether ``mix`` below 1 is allowed.
        dynamic: whether it reports effort, and has a detector to listen to.
    """

    name: str
    title: str
    says: str
    params: type[Params]
    build: Callable[[Any, float], Processor]
    picture: Callable[[Any, float], Picture]
    summary: Callable[[Any], str]
    hz_params: Callable[[Any], list[tuple[str, float]]] = field(default=lambda _params: [])
    response: Callable[[Any, NDArray[np.float64], float], NDArray[np.complex128]] | None = None
    keys: Callable[[Any], tuple[str, ...]] = field(default=lambda _params: ())
    channels: tuple[Channels, ...] = ALL_CHANNELS
    mixes: bool = True
    dynamic: bool = False
