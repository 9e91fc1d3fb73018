"""A place in the stream: all that moves before it, and what is given away of it."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from tin_kettle.core.dsp.block import Block
from tin_kettle.core.dsp.timeline import Timeline
from tin_kettle.core.engine.live.render_path import RenderPath


@dataclass(frozen=True)
class Played:
    """A block for the ear, with the meters that belong to it.

    Args:
        position: stream frame of the first sample; a later block at the same position replaces this one.
        song: song frame there.
        other_name: what the other render path plays.
        now, other: (2, frames).
        meters: as the audition's ``render`` names them.
    """

    epoch: int
    position: int
    song: int
    revision: int
    other_name: str
    now: Block
    other: Block
    meters: dict[str, Any]


@dataclass
class Checkpoint:
    """All that moves, before the block at ``position``."""

    position: int
    now: RenderPath
    other: RenderPath
    other_name: str

    def fork(self) -> Checkpoint:
        """A copy that goes on from the same state."""
        return Checkpoint(self.position, self.now.fork(), self.other.fork(), self.other_name)

    def go_on(self, song: Timeline, position: int) -> None:
        """Play up to a stream frame once more what was given away already, which nobody gets."""
        frames = position - self.position
        for render_path in (self.now, self.other):
            block = render_path.render(song, self.position, frames)
            render_path.meter.feed(block)
            render_path.ear.process(block)
        self.position = position

    def look_back_from_here(self) -> None:
        """Both loudnesses are of the same passage, and of what is there now."""
        self.now.meter.look_back_from_here()
        self.other.meter.look_back_from_here()
