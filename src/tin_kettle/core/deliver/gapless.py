"""Songs as the record joins them: all in one file, or a file each that goes on into the next without a gap."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from contextlib import ExitStack, contextmanager
from dataclasses import dataclass, replace
from pathlib import Path

from tin_kettle.core.deliver.make_files import FinishedFile, make_file, settings_of
from tin_kettle.core.deliver.printing import PrintSettings, print_extent, print_song
from tin_kettle.core.deliver.spec import Spec
from tin_kettle.core.deliver.tags import Heading
from tin_kettle.core.engine.offline import song_frames
from tin_kettle.core.engine.parallel import CORES
from tin_kettle.core.engine.source import FileSource, Part, Silence, Source, opened
from tin_kettle.core.progress import Progress
from tin_kettle.core.recipe.model import Recipe, empty_recipe
from tin_kettle.core.record.document import SongLayout
from tin_kettle.core.record.layout import RecordSource

MASTERING = 0.6
"""Share of the work that is printing the songs; the rest is joining them, and reading that again."""


@dataclass(frozen=True)
class SongParts:
    """What a song of a record is made of: its recipe, bus id → file, and how it lies."""

    recipe: Recipe
    files: Mapping[str, Path]
    laid: SongLayout


@dataclass(frozen=True)
class SongStarts:
    """Where each song begins in a file of the whole record, in frames at its rate."""

    frames: Sequence[int]
    rate_hz: int


def make_delivery(
    songs: Sequence[SongParts],
    number: int | None,
    path: Path,
    spec: Spec,
    heading: Heading,
    progress: Progress = lambda _share: None,
    threads: int = CORES,
) -> tuple[FinishedFile, SongStarts | None]:
    """Make the file of one song by a spec, or of the whole record, with where its songs begin in it.

    Args:
        songs: all of the record, in order; where the spec makes files of songs alone, the one is enough.
        number: the song's place from 0; None for the whole.
        threads: that render.

    Raises:
        KettleError: the sources, a recipe or the format are refused, or the songs' rates differ where they are joined.
        OSError: it cannot be written.
    """
    if number is not None and spec.files == "songs":
        song = songs[number]
        with opened(song.files) as sources:
            settings = settings_of(spec, song.laid, _seconds(sources), threads)
            return make_file(song.recipe, sources, path, spec, settings, heading, progress), None
    with _joined(songs, number, path, spec, lambda share: progress(MASTERING * share), threads) as record:
        plain, source = empty_recipe(), Part(record, *_span(record, number))

        def told(share: float) -> None:
            progress(MASTERING + (1.0 - MASTERING) * share)

        # the songs were band-limited whole: at a cut, a filter would ring
        settings = replace(settings_of(spec, SongLayout(), record.frames / record.rate_hz, threads), band_limit=False)
        settings = replace(settings, tail_s=0.0)
        made = make_file(plain, {plain.buses[0].id: source}, path, spec, settings, heading, told)
        return made, SongStarts(record.starts, record.rate_hz) if number is None else None


@contextmanager
def _joined(
    songs: Sequence[SongParts], number: int | None, path: Path, spec: Spec, progress: Progress, threads: int
) -> Iterator[RecordSource]:
    """The record of songs printed as floats beside ``path``, each at its level, at the spec's rate and ceiling.

    For one song only those are printed that are heard before the next begins.
    """
    with ExitStack() as stack:
        printed: list[Source] = []
        settings, tails = [], []
        for song in songs:
            with opened(song.files) as sources:
                asked = settings_of(spec, song.laid, _seconds(sources), threads, as_floats=True)
                frames, rate_hz = print_extent(song.recipe, sources, asked)
                tails.append(frames - print_extent(song.recipe, sources, replace(asked, tail_s=0.0))[0])
            settings.append(asked)
            printed.append(Silence(frames, rate_hz))
        gaps = [SongLayout(gap_s=song.laid.gap_s) for song in songs]
        planned = RecordSource(list(zip(printed, gaps, strict=True)), tails)
        first, last = _span(planned, number)
        needed = [n for n, end in enumerate(planned.silent_from()) if planned.starts[n] < last and end > first]
        for done, n in enumerate(needed):
            beside = path.with_name(f"{path.name}.{n}.part")
            stack.callback(beside.unlink, missing_ok=True)

            def told(share: float, done: int = done) -> None:
                progress((done + share) / len(needed))

            _print(songs[n], beside, settings[n], told)
            printed[n] = source = FileSource(beside)
            stack.callback(source.close)
        yield RecordSource(list(zip(printed, gaps, strict=True)), tails)


def _span(record: RecordSource, number: int | None) -> tuple[int, int]:
    """From where to where in the record a file goes: a song ends where the next begins."""
    if number is None:
        return 0, record.frames
    return record.starts[number], [*record.starts[1:], record.frames][number]


def _seconds(sources: Mapping[str, Source]) -> float:
    return song_frames(sources) / next(iter(sources.values())).rate_hz


def _print(song: SongParts, path: Path, settings: PrintSettings, progress: Progress) -> None:
    with opened(song.files) as sources:
        print_song(song.recipe, sources, path, settings, progress)
