"""A new bounce in an old one's place."""

from __future__ import annotations

import uuid
from contextlib import closing
from pathlib import Path

import numpy as np
import soundfile

from tin_kettle.core.digest import sha256_of
from tin_kettle.core.engine.source import FileSource
from tin_kettle.core.survey.align import lag_frames
from tin_kettle.store.database import Library
from tin_kettle.store.sources import StoredSource, keep_source, source_path

_PIECE = 1 << 16


def fitted(library: Library, old: StoredSource, new: StoredSource) -> tuple[StoredSource, str]:
    """The new source lined up with the old one, and what was done in a sentence."""
    with (
        closing(FileSource(source_path(library, old))) as before,
        closing(FileSource(source_path(library, new))) as after,
    ):
        lag = lag_frames(before, after)
        if lag is None:
            return new, f"{new.name} does not sound like {old.name}; it starts where that did"
        if lag == 0:
            return new, f"{new.name} lines up with {old.name} to the sample"
        moved = _moved(library, after, lag)
    ms = abs(lag) / old.rate_hz * 1000.0
    where = "earlier" if lag > 0 else "later"
    source = keep_source(library, *moved, new.name)
    return source, f"{new.name} was moved {ms:.2f} ms {where} to line up with {old.name}"


def _moved(library: Library, source: FileSource, lag: int) -> tuple[Path, str]:
    """A float copy that starts ``lag`` frames later in the file, or after so much silence; and its hash."""
    path = library.folder("incoming") / f"{uuid.uuid4().hex}.part"
    with soundfile.SoundFile(str(path), "w", source.rate_hz, 2, subtype="FLOAT", format="WAV") as file:
        for start in range(lag, source.frames, _PIECE):
            file.write(np.ascontiguousarray(source.read(start, min(_PIECE, source.frames - start)).T))
    return path, sha256_of(path)
