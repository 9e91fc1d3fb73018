"""Sources at another rate than their own: converted once, whoever asks, and kept."""

from __future__ import annotations

import threading
from collections import defaultdict
from pathlib import Path

import numpy as np
import soundfile

from tin_kettle.core.atomic_files import written_beside
from tin_kettle.core.deliver.convert import convert_rate
from tin_kettle.core.engine.source import FileSource
from tin_kettle.store.database import Library
from tin_kettle.store.derived import is_intact, seal
from tin_kettle.store.sources import StoredSource, source_path
from tin_kettle.web.open_files import OpenFiles

PIECE_FRAMES = 65536


class ConvertedFiles:
    """Opens sources at a rate. Whoever comes while one is being converted waits for it."""

    def __init__(self, opened: OpenFiles) -> None:
        self._opened = opened
        self._lock = threading.Lock()
        self._under_way: defaultdict[Path, threading.Lock] = defaultdict(threading.Lock)

    def open(self, library: Library, source: StoredSource, rate_hz: int) -> FileSource:
        """A source at a rate.

        Raises:
            AudioError: it cannot be read.
        """
        path = source_path(library, source)
        if source.rate_hz == rate_hz:
            return self._opened.open(path)
        made = library.folder("audio") / f"{source.sha256}-{rate_hz}.wav"
        with self._lock:
            turn = self._under_way[made]
        with turn:
            if not is_intact(made):
                _convert(path, made, rate_hz)
                seal(made)
        return self._opened.open(made)


def _convert(path: Path, made: Path, rate_hz: int) -> None:
    given = FileSource(path)
    starts = range(0, given.frames, PIECE_FRAMES)
    blocks = (given.read(at, min(PIECE_FRAMES, given.frames - at)) for at in starts)
    try:
        with (
            written_beside(made) as beside,
            soundfile.SoundFile(str(beside), "w", rate_hz, 2, subtype="FLOAT", format="WAV") as file,
        ):
            for block in convert_rate(blocks, given.frames, given.rate_hz, rate_hz):
                file.write(np.ascontiguousarray(block.T))
    finally:
        given.close()
