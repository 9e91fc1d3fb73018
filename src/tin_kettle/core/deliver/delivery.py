"""A whole record delivered: every song by every spec, checked from the written file, hashed, with a sheet of cues."""

from __future__ import annotations

import hashlib
import os
import re
from collections.abc import Callable, Sequence
from concurrent.futures import ThreadPoolExecutor
from contextlib import ExitStack
from dataclasses import dataclass, field
from functools import partial
from pathlib import Path
from typing import Any

from tin_kettle.core.beside import written_beside
from tin_kettle.core.deliver.broadcast import add_chunk, bext_chunk
from tin_kettle.core.deliver.checking import Check, check_file
from tin_kettle.core.deliver.formats import LOSSY, USUAL_KBIT_S, suffix_of
from tin_kettle.core.deliver.printing import PrintSettings, print_song
from tin_kettle.core.deliver.spec import Spec
from tin_kettle.core.engine.source import FileSource
from tin_kettle.core.errors import AudioError, KettleError, SpecError
from tin_kettle.core.recipe.model import Recipe, empty_recipe
from tin_kettle.core.recipe.reading import load_recipe
from tin_kettle.core.record.document import Record, RecordSong

ORIGINATOR = "Tin Kettle"
FRAMES_A_SECOND = 75
"""Of the times of a cue sheet."""
_UNSAFE = re.compile(r'[\x00-\x1f/\\:*?"<>|]+')


@dataclass(frozen=True)
class Delivered:
    """One song by one spec: the file with its hash and its checks, or why there is none."""

    song: str
    spec: str
    file: Path
    sha256: str | None = None
    checks: Sequence[Check] = field(default=())
    problem: str | None = None

    @property
    def passed(self) -> bool:
        return self.problem is None and all(check.passed for check in self.checks)

    @property
    def reasons(self) -> list[str]:
        """Why it does not pass, in words."""
        return [self.problem] if self.problem else [check.reason for check in self.checks if not check.passed]

    def document(self, out: Path) -> dict[str, Any]:
        """Plain values; the file relative to where the record was delivered."""
        return {
            "song": self.song,
            "spec": self.spec,
            "file": str(self.file.relative_to(out)),
            "sha256": self.sha256,
            "passed": self.passed,
            "problem": self.problem,
            "checks": [check.document() for check in self.checks],
        }


def deliver(
    record: Record,
    folder: Path,
    specs: Sequence[Spec],
    out: Path,
    told: Callable[[Delivered], None] = lambda _one: None,
) -> list[Delivered]:
    """Print every song by every spec into ``out/<spec>/``, with ``hashes.sha256`` and a cue sheet in each.

    Args:
        folder: what the record's paths are relative to.
        told: of each print as soon as it is checked.

    Raises:
        SpecError: two specs have one name, or two songs would have one file.
        OSError: ``out`` cannot be written.
    """
    names = [[_file_name(record, spec, n) for n in range(len(record.songs))] for spec in specs]
    _check_names(specs, names)
    tasks = []
    for spec, files in zip(specs, names, strict=True):
        place = out / _safe(spec.name)
        place.mkdir(parents=True, exist_ok=True)
        tasks += [(spec, song, place / name) for song, name in zip(record.songs, files, strict=True)]

    def one(task: tuple[Spec, RecordSong, Path]) -> Delivered:
        found = _delivered(record, folder, *task)
        told(found)
        return found

    # kernels let go of the interpreter: two prints go side by side on two cores
    with ThreadPoolExecutor(os.cpu_count() or 1) as pool:
        delivered = list(pool.map(one, tasks))
    for i, spec in enumerate(specs):
        mine = delivered[i * len(record.songs) : (i + 1) * len(record.songs)]
        place = out / _safe(spec.name)
        hashes = "".join(f"{found.sha256}  {found.file.name}\n" for found in mine if found.sha256)
        _write(place / "hashes.sha256", hashes)
        if all(found.sha256 for found in mine):
            _write(place / f"{_safe(record.title)}.cue", cue_sheet(record, [found.file.name for found in mine]))
    return delivered


def _check_names(specs: Sequence[Spec], names: Sequence[Sequence[str]]) -> None:
    places = [_safe(spec.name) for spec in specs]
    if len(set(places)) < len(places):
        raise SpecError("$.name", "two specs have one name; each goes into a folder of its own")
    for spec, files in zip(specs, names, strict=True):
        twins = {name for name in files if files.count(name) > 1}
        if twins:
            raise SpecError("$.naming", f"{spec.naming!r} calls two songs '{min(twins)}'; put {{number}} into it")


def _safe(name: str) -> str:
    """A name that any disk takes."""
    return _UNSAFE.sub(" ", name).strip(" .")[:120] or "untitled"


def _file_name(record: Record, spec: Spec, index: int) -> str:
    song = record.songs[index]
    filled = spec.naming.format(number=index + 1, title=song.title, record=record.title, artist=record.artist)
    return _safe(filled) + suffix_of(spec.container)


def _delivered(record: Record, folder: Path, spec: Spec, song: RecordSong, path: Path) -> Delivered:
    """Print and check; what is refused or fails is told and stops nothing else."""
    about = partial(Delivered, song.title, spec.name, path)
    try:
        with ExitStack() as stack:
            recipe = load_recipe(folder / song.recipe) if song.recipe else empty_recipe()
            sources = {bus_id: FileSource(folder / name) for bus_id, name in _files(song, recipe).items()}
            for source in sources.values():
                stack.callback(source.close)
            printed = print_song(recipe, sources, path, _settings(spec, song))
        if spec.container == "bwf":
            title = f"{record.artist} - {song.title}" if record.artist else song.title
            add_chunk(path, bext_chunk(title, ORIGINATOR, record.date or "", printed.measures))
        checks = check_file(path, spec)
        return about(sha256=_hash(path), checks=checks)
    except KettleError as refused:
        return about(problem=str(refused))
    except OSError as problem:
        return about(problem=f"{path.name} cannot be made ({problem.strerror}); see to the disk")


def _files(song: RecordSong, recipe: Recipe) -> dict[str, str]:
    if song.buses is not None:
        return song.buses
    assert song.source is not None
    if len(recipe.buses) > 1:
        listed = ", ".join(bus.id for bus in recipe.buses)
        raise AudioError(f"'{song.title}' has a recipe with several buses; give buses with a file for each of {listed}")
    return {recipe.buses[0].id: song.source}


def _settings(spec: Spec, song: RecordSong) -> PrintSettings:
    return PrintSettings(
        bits="32f" if spec.container in LOSSY or spec.bits == "32f" else "16" if spec.bits == 16 else "24",
        rate_hz=spec.rate_hz,
        dither=spec.dither,
        gain_db=song.gain_db,
        fade_in_s=song.fade_in_s,
        fade_out_s=song.fade_out_s,
        fade_shape=song.fade_shape,
        from_s=song.start_s or None,
        to_s=song.end_s,
        container=spec.container,
        kbit_s=spec.kbit_s or USUAL_KBIT_S,
    )


def _hash(path: Path) -> str:
    with path.open("rb") as file:
        return hashlib.file_digest(file, "sha256").hexdigest()


def _write(path: Path, text: str) -> None:
    with written_beside(path) as beside:
        beside.write_text(text, encoding="utf-8")


def cue_sheet(record: Record, files: Sequence[str]) -> str:
    """The record's songs in order, each a file, with the silence before it."""
    lines = [f'TITLE "{_quoted(record.title)}"']
    if record.artist:
        lines.append(f'PERFORMER "{_quoted(record.artist)}"')
    if record.upc:
        lines.append(f"CATALOG {record.upc:>013}")
    for number, (song, name) in enumerate(zip(record.songs, files, strict=True), 1):
        kind = {".mp3": "MP3", ".aiff": "AIFF"}.get(Path(name).suffix, "WAVE")
        lines += [f'FILE "{name}" {kind}', f"  TRACK {number:02} AUDIO", f'    TITLE "{_quoted(song.title)}"']
        if song.isrc:
            lines.append(f"    ISRC {song.isrc}")
        if number > 1 and song.gap_s > 0:
            lines.append(f"    PREGAP {_cue_time(song.gap_s)}")
        lines.append("    INDEX 01 00:00:00")
    return "\n".join(lines) + "\n"


def _quoted(text: str) -> str:
    return text.replace('"', "'")


def _cue_time(seconds: float) -> str:
    frames = int(seconds * FRAMES_A_SECOND + 0.5)
    return f"{frames // (60 * FRAMES_A_SECOND):02}:{frames // FRAMES_A_SECOND % 60:02}:{frames % FRAMES_A_SECOND:02}"
