"""Measuring a sound file from end to end."""

from __future__ import annotations

from tin_kettle.core.engine.parallel import BLOCK_FRAMES, in_parallel
from tin_kettle.core.engine.source import FileSource
from tin_kettle.core.measure.song import Measures, SongMeter
from tin_kettle.core.progress import Progress


def measure_file(source: FileSource, progress: Progress | None = None) -> Measures:
    """All measurements of an open file.

    Raises:
        AudioError: it cannot be read, or holds samples that are no numbers.
    """
    meter = SongMeter(source.rate_hz, source.channels)
    with in_parallel(meter.parts) as hear:
        for start in range(0, source.frames, BLOCK_FRAMES):
            frames = min(BLOCK_FRAMES, source.frames - start)
            hear(source.read(start, frames))
            if progress:
                progress((start + frames) / source.frames)
    return {**meter.finish(), "format": source.format}
