"""A place in the stream: all that moves before it, and what is given away of it."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from tin_kettle.core.dsp.block import Block
from tin_kettle.core.dsp.timeline import Timeline
from tin_kettle.core.engine.live.render_path import Road


@dataclass(frozen=True)
class Played:
    """A block for the ear, with the meters that belong to it.

    Args:
        position: stream frame of the first sample; a later block at the same position replaces this one.
        song: song frame there.
        other_name: what the other road plays.
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
class Moment:
    """All that moves, before the block at ``position``."""

    position: int
    now: Road
    other: Road
    other_name: str

    def fork(self) -> Moment:
        """A copy that goes on from the same state."""
        return Moment(self.position, self.now.fork(), self.other.fork(), self.other_name)

    def go_on(self, song: Timeline, position: int) -> None:
        """Play up to a stream frame once more what was given away already, which nobody gets."""
        frames = position - self.position
        for road in (self.now, self.other):
            block = road.render(song, self.position, frames)
            road.meter.feed(block)
            road.ear.process(block)
        self.position = position

    def look_back_from_here(self) -> None:
        """Both loudnesses are of the same passage, and of what is there now."""
        self.now.meter.look_back_from_here()
        self.other.meter.look_back_from_here()
