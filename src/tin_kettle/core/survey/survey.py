"""The survey: a whole song through its recipe, kept as what the song map and the pictures need."""

from __future__ import annotations

import json
from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from tin_kettle.core.engine.graph import Graph
from tin_kettle.core.engine.offline import Progress, render, song_frames, song_rate
from tin_kettle.core.engine.slot import METER_HOP
from tin_kettle.core.engine.source import Source
from tin_kettle.core.listen.match import Match, match_loudness
from tin_kettle.core.measure.loudness import SLOTS_PER_S, LoudnessMeter, integrated_lufs, stereo_energy
from tin_kettle.core.measure.song import Measures, SongMeter
from tin_kettle.core.recipe.model import Recipe
from tin_kettle.core.stages.processor import Block
from tin_kettle.core.survey.pyramid import Pyramid, PyramidBuilder

BLOCK_FRAMES = 32 * METER_HOP
SERIES = ("input_db", "heard_db", "effort_db")


@dataclass(frozen=True)
class Survey:
    """What a song went through.

    Args:
        measures: of the mastered song.
        mastered: its waveform.
        received_slots, now_slots: K-weighted energies of 10 ms, (slots, 3).
        stages: id → (3, readings) of input, heard and effort in dB, a reading every ``METER_HOP`` frames, aligned
            to the song.
    """

    rate_hz: int
    frames: int
    measures: Measures
    mastered: Pyramid
    received_slots: NDArray[np.float64]
    now_slots: NDArray[np.float64]
    stages: dict[str, NDArray[np.float32]]

    def match(self, start: int, end: int) -> Match:
        """Gains that make received and now equally loud between two frames."""
        a, b = (round(frame / self.rate_hz * SLOTS_PER_S) for frame in (start, end))
        received, now = (
            integrated_lufs(stereo_energy(slots[a : max(b, a + 1)])) for slots in (self.received_slots, self.now_slots)
        )
        return match_loudness(received, now, estimate=False)

    def series(self, stage_id: str, start: int, end: int, count: int) -> dict[str, list[float]]:
        """A stage's levels (highest) and effort (strongest) in ``count`` columns between two frames."""
        data = self.stages[stage_id]
        edges = (start + (end - start) / count * np.arange(count)) / METER_HOP
        at = np.clip(edges.astype(np.intp), 0, data.shape[1] - 1)
        stop = int(np.clip(np.ceil(end / METER_HOP), at[-1] + 1, data.shape[1]))
        extremes = (np.maximum, np.maximum, np.minimum)
        return {
            name: extreme.reduceat(row[:stop], at).round(2).astype(float).tolist()
            for name, extreme, row in zip(SERIES, extremes, data, strict=True)
        }

    def hardest(self, stage_id: str) -> tuple[float, float]:
        """Strongest effort of a stage in dB, and when in seconds."""
        effort = self.stages[stage_id][2]
        at = int(np.argmin(effort))
        return float(effort[at]), at * METER_HOP / self.rate_hz

    def save(self, path: Path) -> None:
        """Write to one file, beside first."""
        about = {"rate_hz": self.rate_hz, "frames": self.frames, "measures": self.measures}
        beside = path.with_suffix(".part.npz")
        arrays: dict[str, Any] = {f"stage:{name}": data for name, data in self.stages.items()}
        np.savez(
            beside,
            about=json.dumps(about),
            mastered=self.mastered.columns(0, self.frames, max(1, self.frames // METER_HOP)),
            received=self.received_slots,
            now=self.now_slots,
            **arrays,
        )
        beside.replace(path)

    @classmethod
    def load(cls, path: Path) -> Survey:
        """Read what :meth:`save` wrote."""
        with np.load(path) as kept:
            about = json.loads(str(kept["about"]))
            stages = {name[6:]: kept[name] for name in kept.files if name.startswith("stage:")}
            mastered = Pyramid(kept["mastered"], about["frames"])
            return cls(
                about["rate_hz"],
                about["frames"],
                about["measures"],
                mastered,
                kept["received"],
                kept["now"],
                stages,
            )


def survey_song(recipe: Recipe, sources: Mapping[str, Source], progress: Progress | None = None) -> Survey:
    """Run the whole song through the recipe.

    Raises:
        AudioError, RecipeError: the sources or the recipe are refused.
        Cancelled: from ``progress``.
    """
    rate_hz, frames = song_rate(recipe, sources), song_frames(sources)
    graph = Graph(recipe, rate_hz)
    graph.meter(True)
    meter, received, pyramid = SongMeter(rate_hz), LoudnessMeter(rate_hz), PyramidBuilder()
    readings: dict[str, list[NDArray[np.float64]]] = {slot.stage.id: [] for slot in graph.slots()}
    blocks = render(recipe, sources, block_frames=BLOCK_FRAMES, progress=progress, graph=graph)
    for block in _with_readings(blocks, graph, readings):
        meter.feed(block)
        pyramid.feed(block)
    for start in range(0, frames, BLOCK_FRAMES):
        run = min(BLOCK_FRAMES, frames - start)
        received.feed(sum((s.read(start, run) for s in sources.values()), start=np.zeros((2, run))))
    return Survey(
        rate_hz,
        frames,
        meter.finish(),
        pyramid.finish(),
        received.slots(),
        meter.loudness.slots(),
        {name: _joined(parts, graph, name) for name, parts in readings.items()},
    )


def _with_readings(
    blocks: Iterator[Block], graph: Graph, readings: dict[str, list[NDArray[np.float64]]]
) -> Iterator[Block]:
    for block in blocks:
        for slot in graph.slots():
            reading = slot.reading
            if reading is not None:
                rows = [getattr(reading, name) for name in SERIES]
                readings[slot.stage.id].append(np.stack(rows))
        yield block


def _joined(parts: list[NDArray[np.float64]], graph: Graph, stage_id: str) -> NDArray[np.float32]:
    """Readings shifted by what the sound is late where the stage reads it, so that they stand at the song's time."""
    joined = np.concatenate(parts, axis=1) if parts else np.zeros((3, 1))
    late = round(graph.delay_through(stage_id) / METER_HOP)
    return np.asarray(joined[:, late:] if late < joined.shape[1] else joined, dtype=np.float32)
