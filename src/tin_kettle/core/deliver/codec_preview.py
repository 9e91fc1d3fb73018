"""A song as listeners will get it: coded with loss, decoded, in time with the song; and what coding adds alone."""

from __future__ import annotations

import tempfile
from collections.abc import Iterator, Mapping
from contextlib import closing
from pathlib import Path
from typing import Any, Literal

import numpy as np
import soundfile

from tin_kettle.core.atomic_files import written_beside
from tin_kettle.core.deliver.convert import convert_rate
from tin_kettle.core.deliver.printing import PrintSettings, print_song
from tin_kettle.core.dsp.block import Block
from tin_kettle.core.engine.offline import song_rate
from tin_kettle.core.engine.source import FileSource, Source
from tin_kettle.core.errors import AudioError
from tin_kettle.core.measure.song_measures import SongMeter
from tin_kettle.core.progress import Progress
from tin_kettle.core.recipe.model import Recipe, empty_recipe
from tin_kettle.core.survey.align import lag_frames

Coder = Literal["opus", "ogg", "mp3"]
RATES_HZ: dict[Coder, tuple[int, ...]] = {"opus": (48000,), "ogg": (44100, 48000), "mp3": (44100, 48000)}
"""Of which each coder is given the song's own, else its first."""
PIECE = 1 << 15
STILL_THE_SAME = 0.05
"""Correlation with the song from which on it is found again: few bits leave little of its highs."""


def as_coded(
    recipe: Recipe,
    sources: Mapping[str, Source],
    coder: Coder,
    kbit_s: int,
    out: Path,
    added: Path,
    progress: Progress | None = None,
) -> dict[str, Any]:
    """Write the song as it is decoded again to ``out``, and that minus the song itself to ``added``, both floats.

    Both have the song's rate and length, and are in time with it to the sample.

    Returns:
        ``coded`` and ``mastered``: loudness and peaks of both.

    Raises:
        RecipeError, AudioError: recipe or sources are refused, or too few bits left nothing of the song.
        Cancelled: from ``progress``.
    """
    rate_hz = song_rate(recipe, sources)
    coded_hz = rate_hz if rate_hz in RATES_HZ[coder] else RATES_HZ[coder][0]
    told = progress or (lambda _share: None)
    with tempfile.TemporaryDirectory(prefix="tin-kettle-") as folder:
        plain, lossy, decoded = (Path(folder) / name for name in ("plain.wav", f"coded.{coder}", "decoded.wav"))
        mastered = print_song(recipe, sources, plain, PrintSettings(bits="32f"), lambda share: told(0.5 * share))
        with closing(FileSource(plain)) as song:
            bus = {"mix": song}
            settings = PrintSettings(bits="32f", rate_hz=coded_hz, container=coder, kbit_s=kbit_s)
            print_song(empty_recipe(), bus, lossy, settings, lambda share: told(0.5 + 0.3 * share))
            with closing(FileSource(lossy)) as found:
                _write(decoded, rate_hz, _at_rate(found, rate_hz))
            with closing(FileSource(decoded)) as back:
                lag = lag_frames(song, back, STILL_THE_SAME)
                if lag is None:
                    raise AudioError(f"{coder} at {kbit_s} kbit/s left nothing of the song; choose a higher rate")
                meter = SongMeter(rate_hz)
                _write_both(song, back, lag, out, added, meter)
    told(1.0)
    return {"coded": _figures(meter.finish()), "mastered": _figures(mastered.measures)}


def _figures(measures: dict[str, Any]) -> dict[str, Any]:
    return {name: measures[name] for name in ("integrated_lufs", "true_peak_dbtp", "sample_peak_dbfs")}


def _read(source: Source) -> Iterator[Block]:
    for at in range(0, source.frames, PIECE):
        yield source.read(at, min(PIECE, source.frames - at))


def _at_rate(source: FileSource, rate_hz: int) -> Iterator[Block]:
    blocks = _read(source)
    return blocks if source.rate_hz == rate_hz else convert_rate(blocks, source.frames, source.rate_hz, rate_hz)


def _write(path: Path, rate_hz: int, blocks: Iterator[Block]) -> None:
    with soundfile.SoundFile(path, "w", rate_hz, 2, "FLOAT", format="WAV") as file:
        for block in blocks:
            file.write(block.T)


def _write_both(song: Source, back: Source, lag: int, out: Path, added: Path, meter: SongMeter) -> None:
    with (
        written_beside(out) as beside,
        written_beside(added) as beside_added,
        soundfile.SoundFile(beside, "w", song.rate_hz, 2, "FLOAT", format="WAV") as file,
        soundfile.SoundFile(beside_added, "w", song.rate_hz, 2, "FLOAT", format="WAV") as rest,
    ):
        for at in range(0, song.frames, PIECE):
            frames = min(PIECE, song.frames - at)
            coded = back.read(at + lag, frames)
            meter.feed(np.ascontiguousarray(coded))
            file.write(coded.T)
            rest.write((coded - song.read(at, frames)).T)
