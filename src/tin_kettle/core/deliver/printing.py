"""Printing: the mastered song through rate conversion, band-limit, ceiling and dither into a file."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass
from pathlib import Path
from typing import Any, Literal

import numpy as np

from tin_kettle.core.deliver.convert import band_limit, convert_rate, converted_frames, in_pieces
from tin_kettle.core.deliver.dither import Dither, Quantiser
from tin_kettle.core.deliver.formats import (
    LOSSY,
    USUAL_KBIT_S,
    Bits,
    Container,
    Writer,
    check_print,
    container_by_name,
)
from tin_kettle.core.dsp.block import Block
from tin_kettle.core.dsp.decibels import db_to_gain
from tin_kettle.core.dsp.fades import FadeShape, fade_gains
from tin_kettle.core.dsp.timeline import Span, Timeline
from tin_kettle.core.engine.graph.automation_values import TargetAutomation
from tin_kettle.core.engine.graph.graph import Graph
from tin_kettle.core.engine.graph.stage_instance import Tap
from tin_kettle.core.engine.offline import render, ringing_frames, song_frames, song_rate
from tin_kettle.core.engine.parallel import BLOCK_FRAMES, CORES
from tin_kettle.core.engine.source import HIGHEST_RATE_HZ, LOWEST_RATE_HZ, Source
from tin_kettle.core.errors import AudioError, RecipeError
from tin_kettle.core.measure.peaks import TruePeakMeter
from tin_kettle.core.measure.song_measures import Measures, SongMeter
from tin_kettle.core.progress import Progress
from tin_kettle.core.recipe.automation import automation_of
from tin_kettle.core.recipe.model import Recipe
from tin_kettle.core.stages.processor import Processor

AUDIBLE_TAIL_S = 1.0
"""What rings on for less is the end of a filter, not a room."""


@dataclass(frozen=True)
class PrintSettings:
    """How a print is made.

    Times are seconds of the print; ``None`` keeps the source's rate, takes the default dither, and adds as long a tail
    as the recipe rings on.

    Args:
        gain_db: what belongs to the record and not to the song; fades of what is printed too. They come before rate
            conversion, and a ceiling is held after them.
        container: None goes by the ending of the file's name.
        kbit_s: of lossy containers, which are made of the samples as they are before dither.
        listen: a stage, and what is printed in place of the song: what it removes, or what its detector hears.
    """

    bits: Bits = "24"
    rate_hz: int | None = None
    dither: Dither | None = None
    seed: int = 0
    band_limit: bool = False
    tail_s: float | None = 0.0
    from_s: float | None = None
    to_s: float | None = None
    block_frames: int = BLOCK_FRAMES
    threads: int = CORES
    gain_db: float = 0.0
    fade_in_s: float = 0.0
    fade_out_s: float = 0.0
    fade_shape: FadeShape = "smooth"
    container: Container | None = None
    kbit_s: int = USUAL_KBIT_S
    listen: tuple[str, Tap] | None = None

    @property
    def dither_used(self) -> Dither:
        """TPDF for whole-number prints unless chosen otherwise."""
        return self.dither or ("none" if self.bits == "32f" else "tpdf")


@dataclass(frozen=True)
class Printed:
    """What came out: measurements of the file's samples, and how many ran over full scale and were clipped."""

    measures: Measures
    clipped: int


def print_song(
    recipe: Recipe,
    sources: Mapping[str, Source],
    path: Path,
    settings: PrintSettings,
    progress: Progress | None = None,
) -> Printed:
    """Render, convert, quantise and write; the file appears only when it is whole.

    Raises:
        AudioError, RecipeError: the sources, the recipe or the file's format are refused.
        Cancelled: from ``progress``.
    """
    source_hz, rate_hz = song_rate(recipe, sources), _rate(recipe, sources, settings)
    source_frames = _sounding_frames(recipe, sources, settings)
    first, last = _slice(settings, converted_frames(source_frames, source_hz, rate_hz), rate_hz)
    container = settings.container or container_by_name(path)
    check_print(path, container, settings.bits, rate_hz, last - first)

    def chain(share_from: float, share_to: float) -> Iterator[Block]:
        def report(share: float) -> None:
            if progress:
                progress(share_from + share * (share_to - share_from))

        return render(
            recipe,
            sources,
            last=source_frames,
            block_frames=settings.block_frames,
            progress=report,
            threads=settings.threads if settings.listen is None else 1,
            graph=None if settings.listen is None else _tapped(recipe, source_hz, *settings.listen),
        )

    measured_share = 0.0

    def chain_peak_dbtp() -> float:
        nonlocal measured_share
        measured_share = 0.5
        meter = TruePeakMeter()
        for block in chain(0.0, measured_share):
            meter.feed(block)
        meter.finish()
        return meter.dbtp

    levelled = settings.gain_db != 0.0 or settings.fade_in_s > 0.0 or settings.fade_out_s > 0.0
    changed = rate_hz != source_hz or settings.band_limit or levelled
    ceiling = _ceiling(recipe, rate_hz, chain_peak_dbtp) if changed and settings.listen is None else None
    blocks = chain(measured_share, 1.0)
    if levelled:
        blocks = _levelled(blocks, settings, source_frames, source_hz)
    if rate_hz != source_hz:
        blocks = convert_rate(blocks, source_frames, source_hz, rate_hz)
    if settings.band_limit:
        blocks = band_limit(blocks, rate_hz)
    if ceiling:
        blocks = _held(blocks, ceiling)
    return _write(in_pieces(blocks), path, container, settings, rate_hz, first, last)


def _tapped(recipe: Recipe, rate_hz: int, stage_id: str, tap: Tap) -> Graph:
    """A graph that gives what one stage removes, or what its detector hears.

    Raises:
        RecipeError: there is no such stage, or it has no detector.
    """
    graph = Graph(recipe, rate_hz)
    node = graph.node(stage_id)
    if node is None:
        known = ", ".join(stage.id for stage in recipe.stages()) or "none"
        raise RecipeError("listen", f"there is no stage '{stage_id}'; stages: {known}")
    if tap == "detector" and not node.stage.declared.dynamic:
        title = node.stage.declared.title.lower()
        raise RecipeError("listen", f"'{stage_id}' is a {title}, which has no detector; listen to its difference")
    graph.tap(stage_id, tap)
    return graph


def print_extent(recipe: Recipe, sources: Mapping[str, Source], settings: PrintSettings) -> tuple[int, int]:
    """How many frames a print has, and its rate.

    Raises:
        AudioError: the sources' rates differ, or the slice is no part of the song.
    """
    source_hz, rate_hz = song_rate(recipe, sources), _rate(recipe, sources, settings)
    frames = converted_frames(_sounding_frames(recipe, sources, settings), source_hz, rate_hz)
    first, last = _slice(settings, frames, rate_hz)
    return last - first, rate_hz


def _rate(recipe: Recipe, sources: Mapping[str, Source], settings: PrintSettings) -> int:
    rate_hz = song_rate(recipe, sources) if settings.rate_hz is None else settings.rate_hz
    if not LOWEST_RATE_HZ <= rate_hz <= HIGHEST_RATE_HZ:
        raise AudioError(f"{rate_hz} Hz is no rate for a print; {LOWEST_RATE_HZ} to {HIGHEST_RATE_HZ} Hz are allowed")
    return rate_hz


def _sounding_frames(recipe: Recipe, sources: Mapping[str, Source], settings: PrintSettings) -> int:
    """Of the song with its tail, at its own rate."""
    rate_hz = song_rate(recipe, sources)
    rings_on = settings.tail_s is None
    tail = ringing_frames(Graph(recipe, rate_hz)) if rings_on else round((settings.tail_s or 0.0) * rate_hz)
    return song_frames(sources) + tail


def tail_of(recipe: Recipe, rate_hz: float) -> dict[str, Any]:
    """How long a recipe rings on, ``seconds``, and the ``usual`` tail: ``auto`` where that is part of the music."""
    seconds = ringing_frames(Graph(recipe, rate_hz)) / rate_hz
    return {"seconds": round(seconds, 2), "usual": "auto" if seconds >= AUDIBLE_TAIL_S else "none"}


def _slice(settings: PrintSettings, frames: int, rate_hz: int) -> tuple[int, int]:
    first = 0 if settings.from_s is None else round(settings.from_s * rate_hz)
    last = frames if settings.to_s is None else round(settings.to_s * rate_hz)
    if not 0 <= first < last <= frames:
        raise AudioError(
            f"from {first / rate_hz:g} s to {last / rate_hz:g} s is no part of the song; "
            f"it runs from 0 to {frames / rate_hz:g} s"
        )
    return first, last


def _levelled(blocks: Iterator[Block], settings: PrintSettings, frames: int, rate_hz: int) -> Iterator[Block]:
    """The song at its level in the record, faded in and out where what is printed of it begins and ends."""
    gain, first = db_to_gain(settings.gain_db), round((settings.from_s or 0.0) * rate_hz)
    last = frames if settings.to_s is None else round(settings.to_s * rate_hz)
    fades, at = (settings.fade_in_s * rate_hz, settings.fade_out_s * rate_hz), -first
    for block in blocks:
        yield block * (gain * fade_gains(at, block.shape[1], last - first, *fades, settings.fade_shape))
        at += block.shape[1]


@dataclass(frozen=True)
class _Ceiling:
    """What holds the peaks once more after the chain: a limiter without gain, and how its settings move."""

    limiter: Processor
    automation: TargetAutomation


def _ceiling(recipe: Recipe, rate_hz: int, chain_peak_dbtp: Callable[[], float]) -> _Ceiling | None:
    """The ceiling of the last limiter where nothing follows it, else the true peak that the chain reaches.

    None where the master has no limiter.

    Args:
        chain_peak_dbtp: measures what leaves the chain.
    """
    automation = automation_of(recipe)
    sounding = [stage for stage in recipe.master if automation.can_be_on(stage)]
    limiters = [stage for stage in sounding if stage.declared.hold]
    if not limiters:
        return None
    last = limiters[-1]
    hold = last.declared.hold
    assert hold is not None
    if last is sounding[-1] and automation.find(last.id, "on") is None:
        # its gain belongs to the chain: what comes here has it already
        rest = tuple(one for one in automation.of(last.id) if one.param != last.declared.level)
        return _Ceiling(hold(last.params, rate_hz, None), TargetAutomation(rest, rate_hz))
    return _Ceiling(hold(last.params, rate_hz, chain_peak_dbtp()), TargetAutomation((), rate_hz))


def _held(blocks: Iterator[Block], ceiling: _Ceiling) -> Iterator[Block]:
    """Blocks below a ceiling; where they are already, it is only a delay, which is taken out again."""
    limiter = ceiling.limiter
    at, early = 0, limiter.delay

    def padded() -> Iterator[Block]:
        yield from blocks
        yield np.zeros((2, limiter.delay))

    for block in padded():
        limiter.input_values = ceiling.automation.values(Span(Timeline(), at, block.shape[1]))
        at += block.shape[1]
        out = limiter.process(block)
        dropped = min(early, out.shape[1])
        early -= dropped
        if dropped < out.shape[1]:
            yield out[:, dropped:]


def _write(
    pieces: Iterator[Block],
    path: Path,
    container: Container,
    settings: PrintSettings,
    rate_hz: int,
    first: int,
    last: int,
) -> Printed:
    floats = settings.bits == "32f" or container in LOSSY
    bits: Literal[16, 24] = 16 if settings.bits == "16" else 24
    quantiser = Quantiser(bits, settings.dither_used, settings.seed)
    meter = SongMeter(rate_hz)
    at, clipped_before = 0, 0
    with Writer(path, container, rate_hz, settings.bits, last - first, settings.kbit_s) as file:
        for piece in pieces:
            low, high = max(first - at, 0), min(last - at, piece.shape[1])
            at += piece.shape[1]
            if floats:
                if low < high:
                    file.write_floats(piece[:, low:high])
                    meter.feed(piece[:, low:high].astype("float32").astype("float64"))
            else:
                steps = quantiser.quantise(piece)
                if low < high:
                    file.write_steps(steps[:, low:high])
                    meter.feed(steps[:, low:high] / float(1 << (bits - 1)))
                else:
                    clipped_before = quantiser.clipped
            if at >= last:
                break
    return Printed(meter.finish(), quantiser.clipped - clipped_before)
