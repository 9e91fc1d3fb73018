"""The level of a bus, a group or a branch: gain, pan, width, mute, and silence for the ear alone."""

from __future__ import annotations

from typing import Self

import numpy as np

from tin_kettle.core.dsp.block import Block
from tin_kettle.core.dsp.decibels import apply_balance
from tin_kettle.core.dsp.timeline import Span
from tin_kettle.core.engine.crossfade import Crossfade, blended
from tin_kettle.core.engine.graph.automation_values import TargetAutomation
from tin_kettle.core.recipe.model import Owner
from tin_kettle.core.stages.automated_values import STILL, AutomatedValues


class _Level:
    """One setting of a fader: a function of the song's time, without a state."""

    def __init__(self, owner: Owner, automation: TargetAutomation, silent: bool) -> None:
        self.owner, self.automation, self.silent = owner, automation, silent
        self._wide = "width" in automation.follows.rows or getattr(owner, "width", 1.0) != 1.0
        muted, gain = owner.muted or silent, 10.0 ** (owner.gain_db / 20.0)
        self._plain = not automation.moved and not self._wide and not muted and owner.pan == 0.0 and gain == 1.0

    def fork(self) -> Self:
        return self

    def is_at(self, owner: Owner, automation: TargetAutomation, silent: bool) -> bool:
        """Whether another setting sounds the same."""
        mine, theirs = ((one.gain_db, one.pan, one.muted, getattr(one, "width", 1.0)) for one in (self.owner, owner))
        return mine == theirs and silent == self.silent and automation.moved == self.automation.moved

    def process(self, block: Block, span: Span) -> Block:
        if self._plain:
            return block
        if self.silent:
            return np.zeros_like(block)
        frames, owner = block.shape[1], self.owner
        values = AutomatedValues(self.automation.levels, span, self.automation.grid) if self.automation.moved else STILL
        out = np.array(block)
        if self._wide:
            width = values.every("width", getattr(owner, "width", 1.0), frames)
            mid, side = 0.5 * (block[0] + block[1]), 0.5 * width * (block[0] - block[1])
            out[0], out[1] = mid + side, mid - side
        apply_balance(out, values.every("gain_db", owner.gain_db, frames), values.every("pan", owner.pan, frames))
        if owner.muted or "muted" in values:
            out *= 1.0 - values.every("muted", owner.muted, frames)
        return out


class Fader:
    """A fader that may be moved while the sound goes on."""

    def __init__(self, owner: Owner, automation: TargetAutomation, rate_hz: float) -> None:
        self._fade: Crossfade[_Level, _Level] = Crossfade(_Level(owner, automation, silent=False), rate_hz)

    def fork(self) -> Self:
        """A copy that goes on from the same state."""
        twin = object.__new__(type(self))
        twin._fade = self._fade.fork()
        return twin

    def differs(self, owner: Owner, automation: TargetAutomation, silent: bool) -> bool:
        """Whether :meth:`change` would change anything."""
        return not self._fade.now.is_at(owner, automation, silent)

    def change(self, owner: Owner, automation: TargetAutomation, silent: bool) -> None:
        """Go to another setting, or to silence where only listening mutes it."""
        if self.differs(owner, automation, silent):
            self._fade.change(_Level(owner, automation, silent), _made)
        else:
            self._fade.stay()

    def adopt(self, other: Fader) -> None:
        """Go on from where another one is; :meth:`change` then says where to."""
        self._fade = other._fade.fork()

    def process(self, block: Block, span: Span) -> Block:
        """Next (2, frames); the input stays as it is."""
        if self._fade.old is None:
            return self._fade.now.process(block, span)
        parts = []
        for piece, ramp in self._fade.pieces(block.shape[1], _made):
            part, where = block[:, piece], span.part(piece.start, piece.stop - piece.start)
            after = self._fade.now.process(part, where)
            old = self._fade.old
            parts.append(after if ramp is None or old is None else blended(old.process(part, where), after, ramp))
        return parts[0] if len(parts) == 1 else np.concatenate(parts, axis=1)


def _made(wish: _Level, _before: _Level) -> _Level:
    return wish
