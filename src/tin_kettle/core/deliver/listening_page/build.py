"""Building a listening page: every take is rendered, measured and encoded, and written into one HTML file."""

from __future__ import annotations

import base64
import hashlib
import html
import json
import tempfile
from collections.abc import Iterator
from contextlib import ExitStack, closing
from dataclasses import dataclass, replace
from importlib.resources import files
from pathlib import Path
from typing import Any

from tin_kettle.core.atomic_files import written_beside
from tin_kettle.core.deliver.formats import Container
from tin_kettle.core.deliver.listening_page.document import Coding, Page, PageSong, PageTake
from tin_kettle.core.deliver.ogg import with_steady_serial
from tin_kettle.core.deliver.printing import PrintSettings, print_extent, print_song
from tin_kettle.core.digest import sha256_of
from tin_kettle.core.engine.source import FileSource
from tin_kettle.core.errors import AudioError, PageError
from tin_kettle.core.progress import Progress
from tin_kettle.core.recipe.model import Recipe, empty_recipe
from tin_kettle.core.recipe.reading import load_recipe

OPUS_KBIT_S = 192
OPUS_HZ = 48000
OPUS_RATES = (8000, 12000, 16000, 24000, 48000)
CHUNK_BYTES = 3 << 16
"""Whole groups of three, so that pieces of base64 join."""
CONTAINERS: dict[Coding, Container] = {"flac": "flac", "flac16": "flac", "opus": "opus"}


@dataclass(frozen=True)
class BuiltTake:
    """A take as it stands in the page.

    Args:
        gain_db: what the page turns it down by; 0 where nothing is matched.
    """

    name: str
    lufs: float | None
    gain_db: float
    frames: int
    rate_hz: int

    def document(self) -> dict[str, Any]:
        """Plain values."""
        lufs = None if self.lufs is None else round(self.lufs, 2)
        return {
            "name": self.name,
            "lufs": lufs,
            "gain_db": self.gain_db,
            "frames": self.frames,
            "rate_hz": self.rate_hz,
        }


@dataclass(frozen=True)
class BuiltPage:
    """A finished page: its file, hash and id, and what each song's takes measure."""

    file: Path
    bytes: int
    sha256: str
    id: str
    songs: tuple[tuple[str, tuple[BuiltTake, ...]], ...]

    def document(self) -> dict[str, Any]:
        """Plain values."""
        songs = [{"title": title, "takes": [take.document() for take in takes]} for title, takes in self.songs]
        return {"file": str(self.file), "bytes": self.bytes, "sha256": self.sha256, "id": self.id, "songs": songs}


def make_page(page: Page, folder: Path, out: Path, progress: Progress | None = None) -> BuiltPage:
    """Make a page; the same input gives the same bytes, and no half-written file stays.

    Args:
        folder: what paths of the document are relative to.

    Raises:
        KettleError: a file or a recipe is refused, or takes of a song have different rates.
    """
    report = progress or (lambda _share: None)
    count = sum(len(song.takes) for song in page.songs)
    songs: list[list[BuiltTake]] = []
    with tempfile.TemporaryDirectory(prefix="tin-kettle-") as scratch:
        encoded: list[list[Path]] = []
        for number, song in enumerate(page.songs):
            before = sum(map(len, songs))
            paths = [Path(scratch) / f"{number}-{i}.{CONTAINERS[page.coding]}" for i in range(len(song.takes))]
            report_song = _part_of(report, 0.9 * before / count, 0.9 / count)
            songs.append(_encode_song(song, f"$.songs[{number}]", folder, page, paths, report_song))
            encoded.append(paths)
        page_id = _id_of(page)
        try:
            with written_beside(out) as beside, beside.open("w", encoding="utf-8", newline="\n") as file:
                for piece in _pieces(page, page_id, songs, encoded):
                    file.write(piece)
        except OSError as problem:
            raise AudioError(f"{out} cannot be written ({problem.strerror}); choose another folder") from None
    sha256 = sha256_of(out)
    report(1.0)
    by_title = tuple((song.title, tuple(takes)) for song, takes in zip(page.songs, songs, strict=True))
    return BuiltPage(out, out.stat().st_size, sha256, page_id, by_title)


def _part_of(report: Progress, first: float, share: float) -> Progress:
    return lambda done: report(first + share * done)


def _encode_song(
    song: PageSong, path: str, folder: Path, page: Page, outs: list[Path], report: Progress
) -> list[BuiltTake]:
    """Print every take of a song into its file, as long as the longest; ``report`` counts takes."""
    with ExitStack() as stack:
        opened = []
        for i, take in enumerate(song.takes):
            source, recipe = _opened(take, folder, f"{path}.takes[{i}]")
            opened.append((stack.enter_context(closing(source)), recipe))
        _one_rate(song, [source for source, _ in opened])
        longest = max(_frames(source, recipe) for source, recipe in opened)
        takes = [
            _encode_take(take, source, recipe, longest, page.coding, out, _part_of(report, i, 1.0))
            for i, (take, (source, recipe), out) in enumerate(zip(song.takes, opened, outs, strict=True))
        ]
    return _matched(takes) if page.match else takes


def _opened(take: PageTake, folder: Path, path: str) -> tuple[FileSource, Recipe]:
    recipe = empty_recipe() if take.recipe is None else load_recipe(folder / take.recipe)
    if len(recipe.buses) > 1:
        raise PageError(f"{path}.recipe", f"has {len(recipe.buses)} buses; a take is of one file, give its print")
    return FileSource(folder / take.file), recipe


def _one_rate(song: PageSong, sources: list[FileSource]) -> None:
    rates = sorted({source.rate_hz for source in sources})
    if len(rates) > 1:
        listed = ", ".join(f"{rate} Hz" for rate in rates)
        raise AudioError(f"the takes of '{song.title}' have different rates ({listed}); bounce all at one")


def _frames(source: FileSource, recipe: Recipe) -> int:
    """Of a take with what rings on."""
    return print_extent(recipe, {recipe.buses[0].id: source}, PrintSettings(tail_s=None))[0]


def _encode_take(
    take: PageTake, source: FileSource, recipe: Recipe, frames: int, coding: Coding, out: Path, report: Progress
) -> BuiltTake:
    """Print a take, padded to so many frames, as it goes into the page."""
    rate_hz = source.rate_hz
    as_it_is = take.recipe is None and coding == "flac"
    settings = PrintSettings(
        bits="16" if coding == "flac16" else "24",
        # what comes as whole numbers stays as it is
        dither="none" if as_it_is else "tpdf",
        rate_hz=OPUS_HZ if coding == "opus" and rate_hz not in OPUS_RATES else None,
        tail_s=(frames - source.frames) / rate_hz,
        container=CONTAINERS[coding],
        kbit_s=OPUS_KBIT_S,
    )
    measures = print_song(recipe, {recipe.buses[0].id: source}, out, settings, report).measures
    if coding == "opus":
        with_steady_serial(out)
    with closing(FileSource(out)) as written:
        return BuiltTake(take.name, measures["integrated_lufs"], 0.0, written.frames, written.rate_hz)


def _matched(takes: list[BuiltTake]) -> list[BuiltTake]:
    """Each take turned down to the quietest one."""
    quietest = min((take.lufs for take in takes if take.lufs is not None), default=None)
    return [
        take
        if take.lufs is None or quietest is None
        else replace(take, gain_db=min(round(quietest - take.lufs, 2), 0.0) + 0.0)
        for take in takes
    ]


def _id_of(page: Page) -> str:
    """The same for every round of the same songs, so that comments find them again."""
    about = json.dumps([page.title, page.artist, [song.title for song in page.songs]], ensure_ascii=False)
    return hashlib.sha256(about.encode()).hexdigest()[:16]


def _pieces(page: Page, page_id: str, songs: list[list[BuiltTake]], encoded: list[list[Path]]) -> Iterator[str]:
    """The page from its beginning to its end; sound in pieces, so that memory does not grow with the record."""
    here = files("tin_kettle.core.deliver.listening_page")
    style, script = ((here / name).read_text(encoding="utf-8") for name in ("page.css", "page.js"))
    about = {
        "id": page_id,
        "title": page.title,
        "artist": page.artist,
        "message": page.message,
        "match": page.match,
        "blind": page.blind,
        "songs": [
            {
                "title": song.title,
                "sections": [section.model_dump() for section in song.sections],
                "takes": [{"name": take.name, "seconds": take.frames / take.rate_hz, "rate_hz": take.rate_hz}
                          for take in takes],
            }
            for song, takes in zip(page.songs, songs, strict=True)
        ],
    }  # fmt: skip
    policy = "; ".join(
        (
            "default-src 'none'",
            f"script-src 'sha256-{_hash(script)}'",
            f"style-src 'sha256-{_hash(style)}'",
            "base-uri 'none'",
            "form-action 'none'",
        )
    )
    yield '<!doctype html>\n<html lang="en">\n<head>\n<meta charset="utf-8">\n'
    yield f'<meta http-equiv="Content-Security-Policy" content="{html.escape(policy)}">\n'
    yield '<meta name="viewport" content="width=device-width, initial-scale=1">\n'
    yield f"<title>{html.escape(page.title)}</title>\n<style>{style}</style>\n</head>\n<body>\n"
    yield '<div id="app"></div>\n<noscript>This page needs JavaScript to play its sound.</noscript>\n'
    # no text can end the element: the letter that would begin a tag is written by its number
    document = json.dumps(about, ensure_ascii=False).replace("<", "\\u003c").replace("\u2028", "\\u2028")
    yield f'<script type="application/json" id="page">{document}</script>\n'
    for number, (takes, paths) in enumerate(zip(songs, encoded, strict=True)):
        for i, (take, path) in enumerate(zip(takes, paths, strict=True)):
            yield (
                f'<script type="application/octet-stream" data-song="{number}" data-take="{i}" '
                f'data-gain-db="{take.gain_db:.2f}" data-coding="{page.coding}">'
            )
            with path.open("rb") as file:
                while chunk := file.read(CHUNK_BYTES):
                    yield base64.b64encode(chunk).decode()
            yield "</script>\n"
    yield f"<script>{script}</script>\n</body>\n</html>\n"


def _hash(text: str) -> str:
    return base64.b64encode(hashlib.sha256(text.encode()).digest()).decode()
