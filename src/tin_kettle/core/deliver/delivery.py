"""A whole record delivered: every song by every spec, checked from the written file, hashed, with a sheet of cues."""

from __future__ import annotations

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
from tin_kettle.core.deliver.checking import Check
from tin_kettle.core.deliver.cue import cue_sheet
from tin_kettle.core.deliver.formats import suffix_of
from tin_kettle.core.deliver.making import make_file
from tin_kettle.core.deliver.spec import Spec
from tin_kettle.core.deliver.tags import Heading, read_cover
from tin_kettle.core.engine.source import FileSource
from tin_kettle.core.errors import AudioError, KettleError, SpecError
from tin_kettle.core.measure.song import Measures
from tin_kettle.core.recipe.model import Recipe, empty_recipe
from tin_kettle.core.recipe.reading import load_recipe
from tin_kettle.core.record.document import Record, RecordSong

_UNSAFE = re.compile(r'[\x00-\x1f/\\:*?"<>|]+')


@dataclass(frozen=True)
class Delivered:
    """One song by one spec: the file with its hash and its checks, or why there is none."""

    song: str
    spec: str
    file: Path
    sha256: str | None = None
    checks: Sequence[Check] = field(default=())
    measures: Measures | None = None
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
            "measures": self.measures,
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
        RecordError: the cover is refused.
        OSError: ``out`` cannot be written.
    """
    names = [[file_name(spec, heading_of(record, n, None)) for n in range(len(record.songs))] for spec in specs]
    _check_names(specs, names)
    cover = read_cover(folder / record.cover) if record.cover else None
    tasks = []
    for spec, files in zip(specs, names, strict=True):
        place = out / safe_name(spec.name)
        place.mkdir(parents=True, exist_ok=True)
        tasks += [(spec, index, place / name) for index, name in enumerate(files)]

    def one(task: tuple[Spec, int, Path]) -> Delivered:
        found = _delivered(record, folder, *task, cover)
        told(found)
        return found

    # kernels let go of the interpreter: two prints go side by side on two cores
    with ThreadPoolExecutor(os.cpu_count() or 1) as pool:
        delivered = list(pool.map(one, tasks))
    for i, spec in enumerate(specs):
        mine = delivered[i * len(record.songs) : (i + 1) * len(record.songs)]
        place = out / safe_name(spec.name)
        hashes = "".join(f"{found.sha256}  {found.file.name}\n" for found in mine if found.sha256)
        _write(place / "hashes.sha256", hashes)
        if all(found.sha256 for found in mine):
            songs = [(song.title, song) for song in record.songs]
            _write(place / f"{safe_name(record.title)}.cue", cue_sheet(record, songs, [one.file.name for one in mine]))
    return delivered


def _check_names(specs: Sequence[Spec], names: Sequence[Sequence[str]]) -> None:
    places = [safe_name(spec.name) for spec in specs]
    if len(set(places)) < len(places):
        raise SpecError("$.name", "two specs have one name; each goes into a folder of its own")
    for spec, files in zip(specs, names, strict=True):
        twins = {name for name in files if files.count(name) > 1}
        if twins:
            raise SpecError("$.naming", f"{spec.naming!r} calls two songs '{min(twins)}'; put {{number}} into it")


def safe_name(name: str) -> str:
    """A name that any disk takes."""
    return _UNSAFE.sub(" ", name).strip(" .")[:120] or "untitled"


def file_name(spec: Spec, heading: Heading) -> str:
    """What a spec calls a song's file."""
    about = {"title": heading.title, "record": heading.record, "artist": heading.artist}
    return safe_name(spec.naming.format(number=heading.number, **about)) + suffix_of(spec.container)


def _delivered(record: Record, folder: Path, spec: Spec, index: int, path: Path, cover: bytes | None) -> Delivered:
    """Print and check; what is refused or fails is told and stops nothing else."""
    song = record.songs[index]
    about = partial(Delivered, song.title, spec.name, path)
    try:
        with ExitStack() as stack:
            recipe = load_recipe(folder / song.recipe) if song.recipe else empty_recipe()
            sources = {bus_id: FileSource(folder / name) for bus_id, name in _files(song, recipe).items()}
            for source in sources.values():
                stack.callback(source.close)
            made = make_file(recipe, sources, path, spec, song, heading_of(record, index, cover))
        return about(sha256=made.sha256, checks=made.checks, measures=made.measures)
    except KettleError as refused:
        return about(problem=str(refused))
    except OSError as problem:
        return about(problem=f"{path.name} cannot be made ({problem.strerror}); see to the disk")


def heading_of(record: Record, index: int, cover: bytes | None) -> Heading:
    """What a song of a record is called in its file."""
    song = record.songs[index]
    place = (index + 1, len(record.songs))
    return Heading(song.title, record.title, record.artist, *place, record.date, song.isrc, record.upc, cover)


def _files(song: RecordSong, recipe: Recipe) -> dict[str, str]:
    if song.buses is not None:
        return song.buses
    assert song.source is not None
    if len(recipe.buses) > 1:
        listed = ", ".join(bus.id for bus in recipe.buses)
        raise AudioError(f"'{song.title}' has a recipe with several buses; give buses with a file for each of {listed}")
    return {recipe.buses[0].id: song.source}


def _write(path: Path, text: str) -> None:
    with written_beside(path) as beside:
        beside.write_text(text, encoding="utf-8")
