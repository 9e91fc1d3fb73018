"""What may be said over the live socket: one checked union, with limits.

All positions are frames of the stream or of the song; ``heard`` is what leaves the speakers as the message is sent.
"""

from __future__ import annotations

import math
from typing import Annotated, Any, Literal

import orjson
from pydantic import BaseModel, BeforeValidator, ConfigDict, Field, TypeAdapter, ValidationError

from tin_kettle.core.errors import KettleError
from tin_kettle.core.recipe.document_edits import MOST_CHANGES, DocumentEdit
from tin_kettle.core.recipe.held_values import MOST_TOUCHES, HeldValue

MOST_MESSAGE_BYTES = 4 << 20
"""As much as a recipe may have where it is kept: what is kept can be heard."""
MOST_AT_HAND = 16
MOST_GAINS = 300
_SHOWN = 60


def _whole(given: Any) -> Any:
    """Players count in fractions of a frame."""
    return round(given) if isinstance(given, float) and math.isfinite(given) else given


Frame = Annotated[int, BeforeValidator(_whole), Field(ge=-(2**40), le=2**40)]
Count = Annotated[int, Field(ge=0, lt=2**32)]
"""Of epochs and states, from the start of a connection."""
Name = Annotated[str, Field(max_length=200)]
Lufs = Annotated[float, Field(ge=-200, le=100, allow_inf_nan=False)]


class Message(BaseModel):
    model_config = ConfigDict(strict=True, extra="forbid", frozen=True)

    heard: Frame = 0


class Credit(Message):
    """How far may be rendered, in the epoch that it is meant for.

    ``near`` is up to where it is wanted soon, ``playing`` whether the player is meant to play.
    """

    type: Literal["credit"]
    position: Frame
    near: Frame | None = None
    playing: bool | None = None
    epoch: Count


class Echo(Message):
    """Asked to be said again at once: how long a message is under way, in the page's own time ``at``."""

    type: Literal["echo"]
    at: Annotated[float, Field(allow_inf_nan=False)]


class Edit(Message):
    """A recipe to be heard; ``label`` says what was done to it where the bench means to keep it."""

    type: Literal["edit"]
    recipe: Any
    revision: Count
    label: Name | None = None


class EditChange(Message):
    """The same, said as what it changes of the edit before."""

    type: Literal["change"]
    changes: Annotated[list[DocumentEdit], Field(max_length=MOST_CHANGES)]
    revision: Count
    label: Name | None = None


class Touches(Message):
    """All values that are in the hand now, heard in place of what the recipe says of them; none when it let go."""

    type: Literal["touches"]
    touches: Annotated[list[HeldValue], Field(max_length=MOST_TOUCHES)]
    revision: Count


class Seek(Message):
    type: Literal["seek"]
    song: Frame


class Loop(Message):
    """Null is the whole song."""

    type: Literal["loop"]
    loop: Annotated[list[Frame], Field(min_length=2, max_length=2)] | None


class Tap(Message):
    type: Literal["tap"]
    stage: Name | None
    tap: Literal["result", "removed", "detector"]


class Choose(Message):
    """The stage whose levels and spectra are looked at."""

    type: Literal["choose"]
    stage: Name | None


class Compare(Message):
    type: Literal["compare"]
    other: Name


class Hand(Message):
    """What is kept ready for comparing."""

    type: Literal["hand"]
    others: Annotated[list[Name], Field(max_length=MOST_AT_HAND)]


class Gains(Message):
    """For equal loudness, as far as surveys know them."""

    type: Literal["gains"]
    gains_db: Annotated[dict[Name, Lufs], Field(max_length=MOST_GAINS)]


class Listen(Message):
    """``lufs`` is the loudness of now and the other, for a service that turns songs down."""

    type: Literal["listen"]
    listening: Any
    lufs: Annotated[list[Lufs | None], Field(min_length=2, max_length=2)]


AnyMessage = Credit | Echo | Edit | EditChange | Touches | Seek | Loop | Tap | Choose | Compare | Hand | Gains | Listen
_ANY: TypeAdapter[AnyMessage] = TypeAdapter(Annotated[AnyMessage, Field(discriminator="type")])


def read_message(text: str | bytes) -> AnyMessage:
    """A message as it came.

    Raises:
        KettleError: it is too long, no JSON, or not what is allowed.
    """
    if len(text) > MOST_MESSAGE_BYTES:
        raise KettleError(f"a message of {len(text)} bytes is too long; at most {MOST_MESSAGE_BYTES} are allowed")
    try:
        return _ANY.validate_python(orjson.loads(text))
    except orjson.JSONDecodeError:
        raise KettleError("a message could not be read; reload the bench") from None
    except ValidationError as refused:
        first = refused.errors(include_url=False)[0]
        place = ".".join(str(step) for step in first["loc"]) or "type"
        shown = repr(first["input"])
        shown = shown if len(shown) <= _SHOWN else shown[:_SHOWN] + "…"
        raise KettleError(f"a message was not understood: {place} {shown}; reload the bench") from None
