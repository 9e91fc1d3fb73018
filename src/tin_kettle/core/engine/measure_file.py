"""Measuring a sound file from end to end."""

from __future__ import annotations

from tin_kettle.core.engine.parallel import BLOCK_FRAMES, in_parallel
from tin_kettle.core.engine.source import FileSource
from tin_kettle.core.errors import AudioError
from tin_kettle.core.measure.song_measures import Measures, SongMeter
from tin_kettle.core.progress import Progress


def measure_file(
    source: FileSource,
    progress: Progress | None = None,
    from_s: float | None = None,
    to_s: float | None = None,
) -> Measures:
    """All measurements of an open file, or of the part of it between two times.

    Raises:
        AudioError: it cannot be read, holds samples that are no numbers, or has no such part.
    """
    first = 0 if from_s is None else round(from_s * source.rate_hz)
    last = source.frames if to_s is None else round(to_s * source.rate_hz)
    if not 0 <= first < last <= source.frames:
        raise AudioError(
            f"from {first / source.rate_hz:g} s to {last / source.rate_hz:g} s is no part of the file; "
            f"it runs from 0 to {source.frames / source.rate_hz:g} s"
        )
    meter = SongMeter(source.rate_hz, source.channels)
    with in_parallel(meter.parts) as hear:
        for start in range(first, last, BLOCK_FRAMES):
            frames = min(BLOCK_FRAMES, last - start)
            hear(source.read(start, frames))
            if progress:
                progress((start + frames - first) / (last - first))
    return {**meter.finish(), "format": source.format}
