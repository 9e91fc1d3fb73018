"""Measuring a sound file from end to end."""

from __future__ import annotations

from concurrent.futures import Future, ThreadPoolExecutor

from tin_kettle.core.engine.offline import Progress
from tin_kettle.core.engine.source import FileSource
from tin_kettle.core.measure.song import Measures, SongMeter

BLOCK_FRAMES = 32768


def measure_file(source: FileSource, progress: Progress | None = None) -> Measures:
    """All measurements of an open file.

    Raises:
        AudioError: it cannot be read, or holds samples that are no numbers.
    """
    meter = SongMeter(source.rate_hz, source.channels)
    # kernels and transforms let go of the interpreter: the next block is read while two of them hear the last
    with ThreadPoolExecutor(len(meter.parts)) as pool:
        hearing: list[Future[None]] = []
        for start in range(0, source.frames, BLOCK_FRAMES):
            frames = min(BLOCK_FRAMES, source.frames - start)
            block = source.read(start, frames)
            for heard in hearing:
                heard.result()
            hearing = [pool.submit(part, block) for part in meter.parts]
            if progress:
                progress((start + frames) / source.frames)
        for heard in hearing:
            heard.result()
    return {**meter.finish(), "format": source.format}
