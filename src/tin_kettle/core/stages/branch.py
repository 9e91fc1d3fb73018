"""A branch: one of the parallel chains that a split divides the sound into."""

from __future__ import annotations

from typing import TYPE_CHECKING

from pydantic import Field

from tin_kettle.core.stages.declarations import Id, Params, number, switch

if TYPE_CHECKING:
    from tin_kettle.core.stages.stage import Stage as AnyStage


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
