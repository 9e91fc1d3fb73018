"""The survey: a whole song through its recipe, kept as what the song map, the pictures and the findings need."""

from __future__ import annotations

import json
from collections.abc import Iterator, Mapping
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from tin_kettle.core.dsp.decibels import gain_to_db
from tin_kettle.core.dsp.passes import high_pass, low_pass
from tin_kettle.core.engine.graph import Graph
from tin_kettle.core.engine.offline import Progress, render, song_frames, song_rate
from tin_kettle.core.engine.slot import METER_HOP
from tin_kettle.core.engine.source import Source
from tin_kettle.core.measure import loudness
from tin_kettle.core.measure.loudness import SLOTS_PER_S, SlotMeter
from tin_kettle.core.measure.song import Measures, SongMeter
from tin_kettle.core.measure.tonal import TonalMap, TonalMeter
from tin_kettle.core.recipe.model import Recipe
from tin_kettle.core.stages.processor import Block
from tin_kettle.core.survey.pyramid import Pyramid, PyramidBuilder

BLOCK_FRAMES = 32 * METER_HOP
PEAK_HOP = 8 * METER_HOP
"""Frames that one true-peak reading spans."""
SERIES = ("input_db", "heard_db", "effort_db")
LOW_HZ, SHARP_HZ = 120.0, (5500.0, 9500.0)
TRIAL_LOW_CUT_HZ, TRIAL_HIGH_CUT_HZ = 25.0, 18000.0
"""Cuts of 24 dB/oct that are tried on the whole song, to tell what they would win or lose."""
_ARRAYS = ("slots", "low", "sharp", "peaks", "tonal")


@dataclass(frozen=True)
class Survey:
    """What a song is after a recipe.

    Args:
        measures: of the whole song; ``low_cut_peak_db`` and ``high_cut_peak_db`` are what cuts at 25 Hz and at 18 kHz
            change of its peak.
        waveform: lowest and highest samples.
        slots, low, sharp: energies of 10 ms, (slots, 3) of LL, RR, LR: K-weighted, below 120 Hz, 5.5 to 9.5 kHz.
        peaks: highest true peak of every ``PEAK_HOP`` frames, linear.
        tonal: levels by frequency over time.
        stages: id → (3, readings) of input, heard and effort in dB, a reading every ``METER_HOP`` frames, aligned
            to the song.
    """

    rate_hz: int
    frames: int
    measures: Measures
    waveform: Pyramid
    slots: NDArray[np.float64]
    low: NDArray[np.float64]
    sharp: NDArray[np.float64]
    peaks: NDArray[np.float64]
    tonal: TonalMap
    stages: dict[str, NDArray[np.float32]]

    @property
    def seconds(self) -> float:
        """Length of the song."""
        return self.frames / self.rate_hz

    def passage(self, slots: NDArray[np.float64], start: int, end: int) -> NDArray[np.float64]:
        """The 10 ms slots between two frames, at least one."""
        a, b = (round(frame / self.rate_hz * SLOTS_PER_S) for frame in (start, end))
        a = min(max(a, 0), max(len(slots) - 1, 0))
        return slots[a : max(b, a + 1)]

    def lufs(self, start: int, end: int) -> float | None:
        """Gated loudness between two frames."""
        return loudness.integrated_lufs(loudness.stereo_energy(self.passage(self.slots, start, end)))

    def series(self, stage_id: str, start: int, end: int, count: int) -> dict[str, list[float]]:
        """A stage's levels (highest) and effort (strongest) in ``count`` columns between two frames."""
        rows = self.stages[stage_id]
        extremes = (np.maximum, np.maximum, np.minimum)
        return {
            name: columns(row, METER_HOP, start, end, count, extreme).round(2).astype(float).tolist()
            for name, extreme, row in zip(SERIES, extremes, rows, strict=True)
        }

    def effort_db(self, stage_id: str, start: int, end: int) -> NDArray[np.float64]:
        """(readings,): a stage's gain changes between two frames, at most 0 dB, a reading every ``METER_HOP``."""
        first = start // METER_HOP
        return np.asarray(self.stages[stage_id][2][first : max(-(-end // METER_HOP), first + 1)], dtype=np.float64)

    def hardest(self, stage_id: str) -> tuple[float, float]:
        """Strongest effort of a stage in dB, and when in seconds."""
        effort = self.stages[stage_id][2]
        at = int(np.argmin(effort))
        return float(effort[at]), at * METER_HOP / self.rate_hz

    def save(self, path: Path) -> None:
        """Write to one file, beside first."""
        about = {
            "rate_hz": self.rate_hz,
            "frames": self.frames,
            "measures": self.measures,
            "hop_s": self.tonal.hop_s,
        }
        beside = path.with_suffix(".part.npz")
        arrays: dict[str, Any] = {f"stage:{name}": rows for name, rows in self.stages.items()}
        np.savez(
            beside,
            about=json.dumps(about),
            waveform=self.waveform.finest,
            slots=self.slots,
            low=self.low,
            sharp=self.sharp,
            peaks=self.peaks,
            tonal=self.tonal.rows,
            **arrays,
        )
        beside.replace(path)

    @classmethod
    def load(cls, path: Path) -> Survey:
        """Read what :meth:`save` wrote."""
        with np.load(path) as kept:
            about = json.loads(str(kept["about"]))
            stages = {name[6:]: kept[name] for name in kept.files if name.startswith("stage:")}
            arrays = {name: kept[name] for name in _ARRAYS}
            arrays["tonal"] = TonalMap(arrays["tonal"], about["hop_s"])
            waveform = Pyramid(kept["waveform"], about["frames"])
            return cls(about["rate_hz"], about["frames"], about["measures"], waveform, stages=stages, **arrays)


def columns(
    row: NDArray[np.floating[Any]], hop: float, start: int, end: int, count: int, extreme: np.ufunc
) -> NDArray[np.float64]:
    """Extremes of a row with a value every ``hop`` frames, in ``count`` columns between two frames."""
    edges = (start + (end - start) / count * np.arange(count)) / hop
    at = np.clip(edges.astype(np.intp), 0, len(row) - 1)
    stop = int(np.clip(np.ceil(end / hop), at[-1] + 1, len(row)))
    return np.asarray(extreme.reduceat(row[:stop], at), dtype=np.float64)


class _Meters:
    """All that hears the mastered song go by."""

    def __init__(self, rate_hz: int) -> None:
        top = min(SHARP_HZ[1], 0.45 * rate_hz)
        sharp = [high_pass(min(SHARP_HZ[0], 0.4 * rate_hz), 24, 0.0, rate_hz), low_pass(top, 24, 0.0, rate_hz)]
        self.song = SongMeter(rate_hz)
        self.waveform = PyramidBuilder()
        self.low = SlotMeter(low_pass(LOW_HZ, 24, 0.0, rate_hz), rate_hz)
        self.sharp = SlotMeter(np.concatenate(sharp), rate_hz)
        self.tonal = TonalMeter(rate_hz)
        top = min(TRIAL_HIGH_CUT_HZ, 0.48 * rate_hz)
        self.cuts = {
            "low_cut_peak_db": SlotMeter(high_pass(TRIAL_LOW_CUT_HZ, 24, 0.0, rate_hz), rate_hz),
            "high_cut_peak_db": SlotMeter(low_pass(top, 24, 0.0, rate_hz), rate_hz),
        }
        self.cut_peaks = dict.fromkeys(self.cuts, 0.0)
        self.peaks: list[NDArray[np.float64]] = []

    def feed(self, block: Block) -> None:
        self.song.feed(block)
        self.waveform.feed(block)
        self.low.feed(block)
        self.sharp.feed(block)
        self.tonal.feed(block)
        for name, cut in self.cuts.items():
            self.cut_peaks[name] = max(self.cut_peaks[name], cut.feed(block))
        recent = self.song.true_peak.recent.max(axis=0)
        self.peaks.append(np.maximum.reduceat(recent, np.arange(0, recent.size, PEAK_HOP)))


def survey_song(recipe: Recipe, sources: Mapping[str, Source], progress: Progress | None = None) -> Survey:
    """Run the whole song through the recipe.

    Raises:
        AudioError, RecipeError: the sources or the recipe are refused.
        Cancelled: from ``progress``.
    """
    rate_hz, frames = song_rate(recipe, sources), song_frames(sources)
    graph = Graph(recipe, rate_hz)
    graph.meter(True)
    meters = _Meters(rate_hz)
    readings: dict[str, list[NDArray[np.float64]]] = {slot.stage.id: [] for slot in graph.slots()}
    blocks = render(recipe, sources, block_frames=BLOCK_FRAMES, progress=progress, graph=graph)
    # one core renders the next block while the other measures the last
    with ThreadPoolExecutor(1) as measuring:
        before: Future[None] | None = None
        for block in _with_readings(blocks, graph, readings):
            if before:
                before.result()
            before = measuring.submit(meters.feed, block)
        if before:
            before.result()
    measures = meters.song.finish()
    cuts = {name: gain_to_db(peak) - measures["sample_peak_dbfs"] for name, peak in meters.cut_peaks.items()}
    return Survey(
        rate_hz,
        frames,
        {**measures, **cuts},
        meters.waveform.finish(),
        _at_least_one(meters.song.loudness.slots()),
        _at_least_one(meters.low.slots()),
        _at_least_one(meters.sharp.slots()),
        np.concatenate(meters.peaks),
        meters.tonal.finish(),
        {name: _joined(parts, graph, name) for name, parts in readings.items()},
    )


def _at_least_one(slots: NDArray[np.float64]) -> NDArray[np.float64]:
    """A song shorter than 10 ms fills no slot: it counts as one of silence."""
    return slots if len(slots) else np.zeros((1, 3))


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
