"""A whole record delivered: every song by every spec, checked from the written file, hashed, with a sheet of cues."""

from __future__ import annotations

import os
import re
import unicodedata
from collections.abc import Callable, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field, replace
from functools import partial
from pathlib import Path
from typing import Any

from tin_kettle.core.atomic_files import written_beside
from tin_kettle.core.deliver.check import Check
from tin_kettle.core.deliver.cue import cue_sheet, cue_sheet_into
from tin_kettle.core.deliver.formats import suffix_of
from tin_kettle.core.deliver.gapless import SongParts, SongStarts, make_delivery
from tin_kettle.core.deliver.spec import NAMED, Spec
from tin_kettle.core.deliver.tags import Heading, read_cover
from tin_kettle.core.errors import AudioError, KettleError, SpecError
from tin_kettle.core.measure.song_measures import Measures
from tin_kettle.core.recipe.model import Recipe, empty_recipe
from tin_kettle.core.recipe.reading import load_recipe
from tin_kettle.core.record.document import Record, RecordHead, RecordSong, SongLayout

LONGEST_NAME_BYTES = 180
_UNSAFE = re.compile(r'[\x00-\x1f/\\:*?"<>|]+')


@dataclass(frozen=True)
class Delivered:
    """One song, or the whole record, by one spec: the file with its hash and its checks, or why there is none.

    Args:
        starts: of the songs in a file of the whole record.
    """

    song: str
    spec: str
    file: Path
    sha256: str | None = None
    checks: Sequence[Check] = field(default=())
    measures: Measures | None = None
    starts: SongStarts | None = None
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
    """Print every song, or the whole, by every spec into ``out/<spec>/``, with hashes and a cue sheet in each.

    Args:
        folder: what the record's paths are relative to.
        told: of each print as soon as it is checked.

    Raises:
        SpecError: two specs have one name, or two songs would have one file.
        RecordError: the cover is refused.
        OSError: ``out`` cannot be written.
    """
    songs = [(song.title, song) for song in record.songs]
    names = file_names(record, songs, specs)
    cover = read_cover(folder / record.cover) if record.cover else None
    tasks = []
    for spec, files in zip(specs, names, strict=True):
        place = out / safe_name(spec.name)
        place.mkdir(parents=True, exist_ok=True)
        headings = headings_of(record, songs, spec, cover)
        tasks += [(spec, heading, place / name) for heading, name in zip(headings, files, strict=True)]

    def one(task: tuple[Spec, Heading, Path]) -> Delivered:
        found = _delivered(record, folder, *task)
        told(found)
        return found

    # kernels let go of the interpreter: two prints go side by side on two cores
    with ThreadPoolExecutor(os.cpu_count() or 1) as pool:
        delivered = list(pool.map(one, tasks))
    for spec in specs:
        mine = [found for found in delivered if found.spec == spec.name]
        place = out / safe_name(spec.name)
        _write(place / "hashes.sha256", "".join(f"{one.sha256}  {one.file.name}\n" for one in mine if one.sha256))
        if all(found.sha256 for found in mine):
            sheet = cue_of(record, songs, spec, [found.file.name for found in mine], mine[0].starts)
            _write(place / f"{safe_name(record.title)}.cue", sheet)
    return delivered


def cue_of(
    record: RecordHead,
    songs: Sequence[tuple[str, SongLayout]],
    spec: Spec,
    files: Sequence[str],
    starts: SongStarts | None,
) -> str:
    """The cue sheet of a record, as (title, how it lies), whose files are delivered by a spec."""
    if starts:
        return cue_sheet_into(record, songs, files[0], starts.frames, starts.rate_hz)
    if spec.files == "gapless":
        # the gaps are in the files
        songs = [(title, SongLayout(gap_s=0.0, isrc=laid.isrc)) for title, laid in songs]
    return cue_sheet(record, songs, files)


def file_names(record: RecordHead, songs: Sequence[tuple[str, SongLayout]], specs: Sequence[Spec]) -> list[list[str]]:
    """What each spec calls the files of a record, whose songs are given as (title, how it lies).

    Raises:
        SpecError: two specs would share a folder, or two songs a file, on a disk that takes capitals for small letters.
    """
    if _twin([safe_name(spec.name) for spec in specs]):
        raise SpecError("$.name", "two specs have one name; each goes into a folder of its own")
    names = [[file_name(spec, heading) for heading in headings_of(record, songs, spec)] for spec in specs]
    for spec, files in zip(specs, names, strict=True):
        if twin := _twin(files):
            raise SpecError("$.naming", f"{spec.naming!r} calls two songs '{twin}'; put {{number}} into it")
    return names


def _twin(names: Sequence[str]) -> str | None:
    """A name that is there twice."""
    folded = [unicodedata.normalize("NFC", name).casefold() for name in names]
    return next((name for i, name in enumerate(names) if folded[i] in folded[:i]), None)


def safe_name(name: str) -> str:
    """A name that any disk takes: 255 bytes at most, with room for what is added to it."""
    plain = _UNSAFE.sub(" ", name).strip(" .")
    return plain.encode()[:LONGEST_NAME_BYTES].decode(errors="ignore").strip(" .") or "untitled"


def file_name(spec: Spec, heading: Heading) -> str:
    """What a spec calls a song's file."""
    about = {"title": heading.title, "record": heading.record, "artist": heading.artist}
    about |= {"number": str(heading.number), "number:02": f"{heading.number:02}"}
    filled = NAMED.sub(lambda found: about[found[1]], spec.naming)
    return safe_name(filled) + suffix_of(spec.container)


def _delivered(record: Record, folder: Path, spec: Spec, heading: Heading, path: Path) -> Delivered:
    """Print and check; what is refused or fails is told and stops nothing else."""
    about = partial(Delivered, heading.title, spec.name, path)
    try:
        # one thread a file: as many files as there are cores are made at once
        if spec.files == "songs":
            songs = [_parts(record.songs[heading.number - 1], folder)]
            made, starts = make_delivery(songs, 0, path, spec, heading, threads=1)
        else:
            songs = [_parts(song, folder) for song in record.songs]
            number = None if spec.files == "whole" else heading.number - 1
            made, starts = make_delivery(songs, number, path, spec, heading, threads=1)
        return about(sha256=made.sha256, checks=made.checks, measures=made.measures, starts=starts)
    except KettleError as refused:
        return about(problem=str(refused))
    except OSError as problem:
        return about(problem=f"{path.name} cannot be made ({problem.strerror}); see to the disk")


def _parts(song: RecordSong, folder: Path) -> SongParts:
    recipe = load_recipe(folder / song.recipe) if song.recipe else empty_recipe()
    return SongParts(recipe, {bus_id: folder / name for bus_id, name in _files(song, recipe).items()}, song)


def headings_of(
    record: RecordHead, songs: Sequence[tuple[str, SongLayout]], spec: Spec, cover: bytes | None = None
) -> list[Heading]:
    """What a record's files are called by a spec: a song each, as (title, how it lies), or the whole."""
    shared = Heading(record.title, record.title, record.artist, of=1, date=record.date, upc=record.upc, cover=cover)
    if spec.files == "whole":
        return [shared]
    return [
        replace(shared, title=title, number=number, of=len(songs), isrc=laid.isrc)
        for number, (title, laid) in enumerate(songs, 1)
    ]


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
