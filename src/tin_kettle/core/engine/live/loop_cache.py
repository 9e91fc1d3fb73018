"""Loops that are rendered before they are played, for chains too heavy to be rendered while they sound."""

from __future__ import annotations

import time
from dataclasses import dataclass
from typing import Any, Literal

import numpy as np

from tin_kettle.core.dsp.block import Block
from tin_kettle.core.dsp.timeline import Timeline
from tin_kettle.core.engine.graph.stage_instance import Tap
from tin_kettle.core.engine.live.render_path import (
    MOST_PREROLL_S,
    PREROLL_S,
    PassThrough,
    Piece,
    RenderPath,
    block_frames,
)

LONGEST_S = 120.0
"""The longest loop that is rendered ahead."""
Side = Literal["now", "other"]


@dataclass(frozen=True)
class Task:
    """What a loop is rendered of; ``loop`` is (start, end) in frames of the piece's own clock."""

    piece: Piece
    loop: tuple[int, int]
    tap: tuple[str | None, Tap] = (None, "result")
    silent: frozenset[str] = frozenset()


class LoopRender:
    """One turn of a loop, made block by block, from what it remembers before its end: the seam sounds as on tape."""

    def __init__(self, task: Task, rate_hz: int) -> None:
        start, end = task.loop
        self.task = task
        self.frames = end - start
        self.samples = np.empty((2, self.frames), dtype=np.float32)
        self.meters: list[tuple[dict[str, Any], dict[str, Any]]] = []
        self._rate_hz = rate_hz
        self.block_frames = block_frames(rate_hz)
        self._spent_s = 0.0
        self._clock = Timeline(0, start, task.loop)
        self._road = RenderPath.of(Piece(task.piece.recipe, task.piece.sources), rate_hz, PassThrough())
        self._road.graph.tap(*task.tap)
        self._road.graph.silence(task.silent)
        heard_s = min(max(self._road.graph.memory_s, PREROLL_S), MOST_PREROLL_S)
        self._first = self._at = self.frames - min(self.frames, round(heard_s * rate_hz))
        self._road.advance(self._clock, self._at - self._road.graph.delay, self._at)

    @property
    def progress(self) -> float:
        """0 … 1."""
        return (self._at - self._first) / (2 * self.frames - self._first)

    @property
    def load(self) -> float:
        """Computing time that it took so far, as a share of how long it sounds."""
        return self._spent_s * self._rate_hz / max(self._at - self._first, 1)

    def running_lufs(self) -> float | None:
        """Loudness of what was rendered last."""
        return self._road.meter.running_lufs()

    def step(self) -> None:
        """Render the next block."""
        began = time.thread_time()
        border = self.frames if self._at < self.frames else 2 * self.frames
        run = min(self.block_frames, border - self._at)
        block = self._road.render(self._clock, self._at, run)
        gauge = self._road.gauge(block)
        if self._at >= self.frames:
            into = self._at - self.frames
            self.samples[:, into : into + run] = block
            self.meters.append((gauge, self._road.readings(self._at, run)))
        self._at += run
        self._spent_s += time.thread_time() - began


class LoopCache:
    """Now and the other, each a rendered loop; what changes is rendered beside the one that plays, and follows it."""

    def __init__(self, rate_hz: int) -> None:
        self._rate_hz = rate_hz
        self._playing: dict[Side, LoopRender] = {}
        self._making: dict[Side, LoopRender] = {}
        self._labels: dict[Side, tuple[Task, Any]] = {}
        self._said: dict[Side, Any] = {}

    def want(self, side: Side, task: Task, label: Any) -> None:
        """Render this, unless it is there or under way. ``label`` names it in :meth:`label` once it plays."""
        self._labels[side] = task, label
        playing, making = self._playing.get(side), self._making.get(side)
        if playing and playing.task == task:
            self._making.pop(side, None)
            self._said[side] = label
        elif not making or making.task != task:
            self._making[side] = LoopRender(task, self._rate_hz)

    @property
    def ready(self) -> bool:
        """Whether there is something to play."""
        return len(self._playing) == 2

    @property
    def progress(self) -> float:
        """How much of what is wanted has been rendered, 0 … 1."""
        return min((making.progress for making in self._making.values()), default=1.0)

    @property
    def load(self) -> float:
        """What rendering both takes, as a share of the time there is."""
        return sum({**self._playing, **self._making}[side].load for side in self._labels)

    def step(self) -> bool:
        """Render a block of what is wanted.

        Returns:
            True where a loop came ready and plays from now on.
        """
        side, making = next(iter(self._making.items()))
        making.step()
        if making.progress < 1.0:
            return False
        del self._making[side]
        self._playing[side] = making
        task, label = self._labels[side]
        assert task == making.task
        self._said[side] = label
        return True

    def label(self, side: Side) -> Any:
        """What the loop that plays was called when it was wanted."""
        return self._said[side]

    def running_lufs(self, side: Side) -> float | None:
        """Loudness of the loop that plays, of its last half minute where it is longer."""
        return self._playing[side].running_lufs()

    def run_from(self, side: Side, song: int) -> int:
        """Frames from a frame of its clock to the seam."""
        return self._playing[side].task.loop[1] - song

    def play(self, side: Side, song: int, frames: int) -> tuple[Block, dict[str, Any], dict[str, Any]]:
        """(2, frames) from a frame of its clock on, with the gauge and the readings that belong to its start."""
        playing = self._playing[side]
        into = song - playing.task.loop[0]
        gauge, readings = playing.meters[into // playing.block_frames]
        return playing.samples[:, into : into + frames].astype(np.float64), dict(gauge), readings
