"""Sound files by content hash, with their waveforms."""

from __future__ import annotations

import hashlib
import sqlite3
import uuid
import zipfile
import zlib
from collections.abc import Iterable, Mapping
from contextlib import closing
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from tin_kettle.core.atomic_files import put_in_place
from tin_kettle.core.engine.source import FileSource
from tin_kettle.core.errors import AudioError, LibraryError
from tin_kettle.core.progress import Progress
from tin_kettle.core.survey.waveform_levels import WaveformBuilder, WaveformLevels
from tin_kettle.store.database import Library

LONGEST_S = 3 * 3600
MOST_BYTES = 8 << 30
SUFFIXES = {
    "WAV": ".wav",
    "WAVEX": ".wav",
    "RF64": ".wav",
    "W64": ".w64",
    "FLAC": ".flac",
    "AIFF": ".aiff",
    "OGG": ".ogg",
}
_READ_FRAMES = 1 << 16


@dataclass(frozen=True)
class StoredSource:
    """A sound file of the library."""

    sha256: str
    suffix: str
    name: str
    format: str
    rate_hz: int
    channels: int
    frames: int


def receive(library: Library, chunks: Iterable[bytes]) -> tuple[Path, str]:
    """Write an upload beside the library as it comes in; returns the file and its SHA-256.

    Raises:
        AudioError: it is larger than any song.
    """
    path = library.folder("incoming") / f"{uuid.uuid4().hex}.part"
    digest = hashlib.sha256()
    size = 0
    try:
        with path.open("wb") as file:
            for chunk in chunks:
                size += len(chunk)
                if size > MOST_BYTES:
                    raise AudioError(f"the file is over {MOST_BYTES >> 30} GB; give a shorter one")
                digest.update(chunk)
                file.write(chunk)
    except BaseException:
        path.unlink(missing_ok=True)
        raise
    return path, digest.hexdigest()


def keep_source(
    library: Library, incoming: Path, sha256: str, name: str, progress: Progress | None = None
) -> StoredSource:
    """Check a received file from end to end, draw its waveform and take it into the library.

    A file that the library knows takes the place of its own, which may have been lost or damaged.

    Raises:
        AudioError: it is refused; nothing is left behind.
    """
    try:
        known = find_source(library, sha256)
        if known:
            # whatever became of the library's own file, this one has the content that it must have
            put_in_place(incoming, source_path(library, known))
            return known
        kept = _look_through(library, incoming, sha256, name, progress)
        put_in_place(incoming, library.folder("audio") / (sha256 + kept.suffix))
        with library.writing() as db:
            db.execute(
                "INSERT OR IGNORE INTO sources (sha256, suffix, name, format, rate_hz, channels, frames)"
                " VALUES (?, ?, ?, ?, ?, ?, ?)",
                (sha256, kept.suffix, kept.name, kept.format, kept.rate_hz, kept.channels, kept.frames),
            )
        return kept
    except AudioError as refused:
        # the user knows the file by its own name, not by where it lies here
        raise AudioError(str(refused).replace(incoming.name, name)) from None
    finally:
        incoming.unlink(missing_ok=True)


def _look_through(library: Library, path: Path, sha256: str, name: str, progress: Progress | None) -> StoredSource:
    with closing(FileSource(path)) as source:
        suffix = SUFFIXES.get(source.format.split()[0])
        if suffix is None:
            raise AudioError(f"{name} is {source.format}; give a WAV, FLAC, AIFF or OGG file")
        if source.frames > LONGEST_S * source.rate_hz:
            hours = source.frames / source.rate_hz / 3600
            raise AudioError(f"{name} is {hours:.1f} hours long; at most {LONGEST_S // 3600} are allowed, cut it")
        builder = WaveformBuilder()
        for start in range(0, source.frames, _READ_FRAMES):
            frames = min(_READ_FRAMES, source.frames - start)
            builder.feed(source.read(start, frames))
            if progress:
                progress((start + frames) / source.frames)
        builder.finish().save(library.folder("waveforms") / f"{sha256}.npz")
        return StoredSource(sha256, suffix, name, source.format, source.rate_hz, source.channels, source.frames)


def _source(row: sqlite3.Row) -> StoredSource:
    return StoredSource(**dict(row))


def find_source(library: Library, sha256: str) -> StoredSource | None:
    """The source of that hash, if the library has it."""
    with library.reading() as db:
        row = db.execute(
            "SELECT sha256, suffix, name, format, rate_hz, channels, frames FROM sources WHERE sha256 = ?",
            (sha256,),
        ).fetchone()
    return _source(row) if row else None


def list_sources(library: Library) -> list[StoredSource]:
    """All sources of the library."""
    with library.reading() as db:
        rows = db.execute(
            "SELECT sha256, suffix, name, format, rate_hz, channels, frames FROM sources ORDER BY name, sha256"
        ).fetchall()
    return [_source(row) for row in rows]


def song_sources(library: Library, song_id: int) -> dict[str, StoredSource]:
    """Bus id → source of a song as it stands."""
    with library.reading() as db:
        row = db.execute(
            "SELECT set_id FROM revisions JOIN songs ON songs.revision_id = revisions.id WHERE songs.id = ?", (song_id,)
        ).fetchone()
        return bounced_sources(db, row["set_id"]) if row else {}


def bounced_sources(db: sqlite3.Connection, set_id: int) -> dict[str, StoredSource]:
    """Bus id → source of a set of bounces."""
    rows = db.execute(
        "SELECT bounces.bus_id, sources.sha256, suffix, name, format, rate_hz, channels, frames"
        " FROM bounces JOIN sources ON sources.sha256 = bounces.sha256"
        " WHERE set_id = ? ORDER BY bounces.rowid",
        (set_id,),
    ).fetchall()
    return {row["bus_id"]: _source_of_bus(row) for row in rows}


def _source_of_bus(row: sqlite3.Row) -> StoredSource:
    values = dict(row)
    del values["bus_id"]
    return StoredSource(**values)


def source_path(library: Library, source: StoredSource) -> Path:
    """Where the file lies."""
    return library.folder("audio") / (source.sha256 + source.suffix)


def source_files(library: Library, sources: Mapping[str, StoredSource]) -> dict[str, str]:
    """Bus id → where its file lies, as a worker is told."""
    return {bus_id: str(source_path(library, source)) for bus_id, source in sources.items()}


def load_waveform(library: Library, sha256: str) -> WaveformLevels:
    """The waveform of a source, drawn again where it was lost or damaged.

    Raises:
        LibraryError: there is no such source.
    """
    source = find_source(library, sha256)
    if source is None:
        raise LibraryError(f"there is no source {sha256[:12]}; import it again")
    return read_waveform(library, sha256) or draw_waveform(library, source)


def read_waveform(library: Library, sha256: str) -> WaveformLevels | None:
    """The waveform of a source as it was drawn; None where it was lost or damaged."""
    try:
        return WaveformLevels.load(library.folder("waveforms") / f"{sha256}.npz")
    except (FileNotFoundError, ValueError, KeyError, EOFError, zipfile.BadZipFile, zlib.error):
        return None


def draw_waveform(library: Library, source: StoredSource) -> WaveformLevels:
    """Draw the waveform of a source and keep it."""
    builder = WaveformBuilder()
    with closing(FileSource(source_path(library, source))) as sound:
        for start in range(0, sound.frames, _READ_FRAMES):
            builder.feed(sound.read(start, min(_READ_FRAMES, sound.frames - start)))
    drawn = builder.finish()
    drawn.save(library.folder("waveforms") / f"{source.sha256}.npz")
    return drawn


def summed_waveform(pyramids: list[WaveformLevels], start: int, end: int, count: int) -> list[list[float]]:
    """Columns of several sources drawn as one: the bounds of what their sum can reach."""
    total = np.sum([pyramid.columns(start, end, count) for pyramid in pyramids], axis=0)
    return [[round(float(v), 4) for v in row] for row in total]
