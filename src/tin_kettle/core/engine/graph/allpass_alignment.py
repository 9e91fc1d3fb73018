"""All-passes that keep what does not pass a crossover in phase with what does.

A crossover is at rest an all-pass. Whatever runs beside it (the dry sound, the component that is left alone, sibling
branches) is given the same one, so that all parts still add up to the whole.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable
from typing import Self

import numpy as np

from tin_kettle.core.dsp.block import Block
from tin_kettle.core.dsp.crossover import all_passes
from tin_kettle.core.dsp.state_copy import twin_of
from tin_kettle.core.dsp.svf import both_rows, svf_rows
from tin_kettle.core.dsp.timeline import Span
from tin_kettle.core.engine.crossfade import Crossfade, blended
from tin_kettle.core.engine.graph.automation_values import AutomationValues
from tin_kettle.core.stages.stage import Stage

Corners = tuple[float, ...]
"""Rising Hz of second-order all-passes, one as often as it is passed."""
Moves = Corners | Callable[[int], Corners]
"""The same, or what it is at a song frame."""


def corners_of(stage: Stage) -> Corners:
    """What a stage is at rest."""
    if not stage.on:
        return ()
    inside = (chain_corners(branch.chain) for branch in stage.branches)
    return tuple(sorted((*stage.declared.crossovers_hz(stage.params), *common(*inside))))


def chain_corners(chain: tuple[Stage, ...]) -> Corners:
    """The same of stages one after the other."""
    return tuple(sorted(corner for stage in chain for corner in corners_of(stage)))


def common(*paths: Corners) -> Corners:
    """The least that all parallel paths can be brought to."""
    total: Counter[float] = Counter()
    for path in paths:
        total |= Counter(path)
    return tuple(sorted(total.elements()))


def missing(path: Corners, wanted: Corners) -> Corners:
    """What a path lacks."""
    return tuple(sorted((Counter(wanted) - Counter(path)).elements()))


class _Passes:
    """Some all-passes at work."""

    def __init__(self, corners: Corners, rate_hz: float, before: _Passes | None = None) -> None:
        self.corners = corners
        self._sections = both_rows(all_passes(corners, rate_hz))
        self._state = np.zeros((len(corners), 2, 2))
        known = dict(zip(before.corners, before._state, strict=True)) if before else {}
        for i, corner in enumerate(corners):
            self._state[i] = known.get(corner, 0.0)

    def fork(self) -> Self:
        twin = twin_of(self)
        twin._state = self._state.copy()
        return twin

    def process(self, block: Block) -> Block:
        if not self.corners:
            return block
        out = block.copy()
        svf_rows(out, self._sections, self._state)
        return out


class AllpassAlignment:
    """All-passes that may change while the sound goes on."""

    def __init__(self, rate_hz: float) -> None:
        self._rate_hz = rate_hz
        self._fade: Crossfade[_Passes, Corners] | None = None

    def fork(self) -> Self:
        """A copy that goes on from the same state."""
        twin = twin_of(self)
        twin._fade = self._fade.fork() if self._fade else None
        return twin

    def process(self, block: Block, corners: Moves, span: Span, step: int) -> Block:
        """Next (2, frames) through all-passes; where these move, they are looked up at every ``step`` song frames."""
        if not callable(corners):
            if self._fade is None and not corners:
                return block
            self._go(corners)
            return self._run(block)
        parts = []
        for at, frames, song in span.cut(step):
            if song % step == 0 or self._fade is None:
                self._go(corners(song // step * step))
            parts.append(self._run(block[:, at : at + frames]))
        return np.concatenate(parts, axis=1)

    def _make(self, corners: Corners, before: _Passes) -> _Passes:
        return _Passes(corners, self._rate_hz, before)

    def _go(self, corners: Corners) -> None:
        if self._fade is None:
            self._fade = Crossfade(_Passes(corners, self._rate_hz), self._rate_hz)
        elif corners == self._fade.now.corners:
            self._fade.stay()
        else:
            self._fade.change(corners, self._make)

    def _run(self, block: Block) -> Block:
        fade = self._fade
        assert fade is not None
        parts = []
        for piece, ramp in fade.pieces(block.shape[1], self._make):
            part = np.ascontiguousarray(block[:, piece])
            after = fade.now.process(part)
            parts.append(after if ramp is None or fade.old is None else blended(fade.old.process(part), after, ramp))
        return parts[0] if len(parts) == 1 else np.concatenate(parts, axis=1)


def moves_of(stages: tuple[Stage, ...], automation: AutomationValues) -> Moves:
    """What a chain of stages is at rest: always, or at a song frame where that moves."""
    if not any(automation.switches(stage) for stage in stages):
        return chain_corners(stages)
    return lambda song: chain_corners(tuple(automation.setting(stage, song) for stage in stages))


def is_alike(
    stages: tuple[Stage, ...],
    automation: AutomationValues,
    others: tuple[Stage, ...],
    their_automation: AutomationValues,
) -> bool:
    """Whether two chains of the same stages are the same at rest, at any moment."""
    mine, theirs = moves_of(stages, automation), moves_of(others, their_automation)
    if callable(mine) or callable(theirs):
        return stages == others and automation.automation.curves == their_automation.automation.curves
    return mine == theirs


def at_song(corners: Moves, song: int) -> Corners:
    """What it is at a song frame."""
    return corners(song) if callable(corners) else corners
