"""The survey: a whole song through its recipe, kept as what the song map, the pictures and the findings need."""

from __future__ import annotations

import json
from collections.abc import Mapping
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from tin_kettle.core.atomic_files import written_beside
from tin_kettle.core.dsp.block import Block
from tin_kettle.core.dsp.decibels import gain_to_db
from tin_kettle.core.dsp.pass_filters import high_pass, low_pass
from tin_kettle.core.engine.graph.graph import Graph
from tin_kettle.core.engine.graph.meters import METER_HOP, Row, Series, is_effort, strongest
from tin_kettle.core.engine.graph.stage_node import StageNode
from tin_kettle.core.engine.graph.traversal import Metered
from tin_kettle.core.engine.offline import render, song_frames, song_rate
from tin_kettle.core.engine.parallel import CORES, Hear, in_parallel
from tin_kettle.core.engine.source import Source
from tin_kettle.core.measure import loudness
from tin_kettle.core.measure.band_map import BandMeter
from tin_kettle.core.measure.loudness import SLOTS_PER_S, SlotMeter
from tin_kettle.core.measure.song_measures import Measures, SongMeter
from tin_kettle.core.measure.tonal_map import TonalMap, TonalMeter
from tin_kettle.core.progress import Progress
from tin_kettle.core.recipe.model import Recipe
from tin_kettle.core.survey.waveform_levels import WaveformBuilder, WaveformLevels

PEAK_HOP = 8 * METER_HOP
"""Frames that one true-peak reading spans."""
LOW_HZ, SHARP_HZ = 120.0, (5500.0, 9500.0)
TRIAL_LOW_CUT_HZ, TRIAL_HIGH_CUT_HZ = 25.0, 18000.0
"""Cuts of 24 dB/oct that are tried on the whole song, to tell what they would win or lose."""
_ARRAYS = ("slots", "low", "sharp", "peaks", "tonal", "bands")


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
        bands: (half seconds, 31) levels of third octaves in dB, left and right together.
        stages: id of a stage, branch, bus or group → what it reads by name, each (readings,) in dB, a reading every
            ``METER_HOP`` frames of the song. Names that begin with ``effort`` tell what is taken off or added.
        curves: id of a stage → what it did on average over the song by name, (points,) over its own frequencies.
    """

    rate_hz: int
    frames: int
    measures: Measures
    waveform: WaveformLevels
    slots: NDArray[np.float64]
    low: NDArray[np.float64]
    sharp: NDArray[np.float64]
    peaks: NDArray[np.float64]
    tonal: TonalMap
    bands: NDArray[np.float32]
    stages: dict[str, dict[str, NDArray[np.float32]]]
    curves: dict[str, dict[str, NDArray[np.float32]]]

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
        """A stage's levels (highest) and efforts (strongest) in ``count`` columns between two frames, by name."""
        told = {}
        for name, row in self.stages[stage_id].items():
            if is_effort(name):
                extremes = [columns(row, METER_HOP, start, end, count, extreme) for extreme in (np.minimum, np.maximum)]
                found = strongest(*extremes)
            else:
                found = columns(row, METER_HOP, start, end, count, np.maximum)
            told[name] = found.round(2).astype(float).tolist()
        return told

    def efforts(self) -> dict[str, Row]:
        """Stage id → (readings,) the strongest that it takes off or adds, dB; stages that do neither are absent."""
        found: dict[str, Row] = {}
        for stage_id, rows in self.stages.items():
            for name, row in rows.items():
                if is_effort(name):
                    whole = row.astype(np.float64)
                    found[stage_id] = strongest(found[stage_id], whole) if stage_id in found else whole
        return found

    def effort_db(self, stage_id: str, start: int, end: int) -> Row:
        """(readings,): what a stage takes off (negative) or adds between two frames, a reading every ``METER_HOP``."""
        first, last = start // METER_HOP, -(-end // METER_HOP)
        whole = self.efforts().get(stage_id)
        return np.zeros(max(last - first, 1)) if whole is None else whole[first : max(last, first + 1)]

    def hardest(self, stage_id: str) -> tuple[float, float]:
        """Strongest effort of a stage in dB, and when in seconds."""
        effort = self.effort_db(stage_id, 0, self.frames)
        at = int(np.argmax(np.abs(effort)))
        return float(effort[at]), at * METER_HOP / self.rate_hz

    def save(self, path: Path) -> None:
        """Write to one file, beside first."""
        about = {
            "rate_hz": self.rate_hz,
            "frames": self.frames,
            "measures": self.measures,
            "hop_s": self.tonal.hop_s,
        }
        arrays: dict[str, Any] = {
            f"stage:{stage_id}:{name}": row for stage_id, rows in self.stages.items() for name, row in rows.items()
        }
        arrays |= {
            f"curve:{stage_id}:{name}": row for stage_id, rows in self.curves.items() for name, row in rows.items()
        }
        with written_beside(path) as beside, beside.open("wb") as file:
            np.savez(
                file,
                about=json.dumps(about),
                waveform=self.waveform.finest,
                slots=self.slots,
                low=self.low,
                sharp=self.sharp,
                peaks=self.peaks,
                tonal=self.tonal.rows,
                bands=self.bands,
                **arrays,
            )

    @classmethod
    def load(cls, path: Path) -> Survey:
        """Read what :meth:`save` wrote."""
        # opened here: what is no archive would leave it open
        with path.open("rb") as file, np.load(file) as kept:
            about = json.loads(str(kept["about"]))
            of_stages: dict[str, dict[str, dict[str, NDArray[np.float32]]]] = {"stage": {}, "curve": {}}
            for name in kept.files:
                if ":" in name:
                    what, stage_id, series = name.split(":")
                    of_stages[what].setdefault(stage_id, {})[series] = kept[name]
            arrays = {name: kept[name] for name in _ARRAYS}
            arrays["tonal"] = TonalMap(arrays["tonal"], about["hop_s"])
            waveform = WaveformLevels(kept["waveform"], about["frames"])
            return cls(
                about["rate_hz"],
                about["frames"],
                about["measures"],
                waveform,
                stages=of_stages["stage"],
                curves=of_stages["curve"],
                **arrays,
            )


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
        self.waveform = WaveformBuilder()
        self.low = SlotMeter(low_pass(LOW_HZ, 24, 0.0, rate_hz), rate_hz)
        self.sharp = SlotMeter(np.concatenate(sharp), rate_hz)
        self.tonal = TonalMeter(rate_hz)
        self.bands = BandMeter(rate_hz)
        top = min(TRIAL_HIGH_CUT_HZ, 0.48 * rate_hz)
        self.cuts = {
            "low_cut_peak_db": SlotMeter(high_pass(TRIAL_LOW_CUT_HZ, 24, 0.0, rate_hz), rate_hz),
            "high_cut_peak_db": SlotMeter(low_pass(top, 24, 0.0, rate_hz), rate_hz),
        }
        self.cut_peaks = dict.fromkeys(self.cuts, 0.0)
        self.peaks: list[NDArray[np.float64]] = []

    @property
    def parts(self) -> tuple[Hear, ...]:
        """What hears a block, apart from each other."""
        return self._hear_levels, self.song.hear_spectrum, self._hear_ranges, self._hear_tone

    def _hear_levels(self, block: Block) -> None:
        self.song.hear_levels(block)
        recent = self.song.true_peak.recent.max(axis=0)
        self.peaks.append(np.maximum.reduceat(recent, np.arange(0, recent.size, PEAK_HOP)))

    def _hear_tone(self, block: Block) -> None:
        self.tonal.feed(block)
        self.bands.feed(block)

    def _hear_ranges(self, block: Block) -> None:
        self.waveform.feed(block)
        self.low.feed(block)
        self.sharp.feed(block)
        for name, cut in self.cuts.items():
            self.cut_peaks[name] = max(self.cut_peaks[name], cut.feed(block))


def survey_song(
    recipe: Recipe, sources: Mapping[str, Source], progress: Progress | None = None, threads: int = CORES
) -> Survey:
    """Run the whole song through the recipe.

    Raises:
        AudioError, RecipeError: the sources or the recipe are refused.
        Cancelled: from ``progress``.
    """
    rate_hz, frames = song_rate(recipe, sources), song_frames(sources)
    graph = Graph(recipe, rate_hz)
    graph.meter(True)
    meters = _Meters(rate_hz)
    readings: dict[str, Series] = {}

    def read(part: Metered) -> None:
        if part.reading is not None:
            readings.setdefault(part.id, Series()).add(part.reading)

    blocks = render(recipe, sources, progress=progress, graph=graph, read=read, threads=threads)
    # the next blocks are rendered while the last ones are measured
    with in_parallel(meters.parts) as hear:
        for block in blocks:
            hear(block)
    hops = -(-frames // METER_HOP)
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
        meters.bands.finish(),
        {name: _of_song(series, hops) for name, series in readings.items()},
        {node.id: told for node in graph.nodes() if (told := _on_average(node))},
    )


def _at_least_one(slots: NDArray[np.float64]) -> NDArray[np.float64]:
    """A song shorter than 10 ms fills no slot: it counts as one of silence."""
    return slots if len(slots) else np.zeros((1, 3))


def _on_average(node: StageNode) -> dict[str, NDArray[np.float32]]:
    found = node.instance.processor.over_song() if node.stage.on else {}
    return {name: row.astype(np.float32) for name, row in found.items()}


def _of_song(series: Series, hops: int) -> dict[str, NDArray[np.float32]]:
    return {name: row.astype(np.float32) for name, row in series.between(0, hops).items()}
