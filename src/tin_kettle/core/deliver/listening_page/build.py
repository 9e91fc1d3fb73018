"""A listening page made: every take rendered, measured and coded, and written into one HTML file as it comes."""

from __future__ import annotations

import base64
import hashlib
import html
import json
import tempfile
from collections.abc import Iterator
from contextlib import closing
from dataclasses import dataclass
from importlib.resources import files
from pathlib import Path
from typing import Any

from tin_kettle.core.beside import written_beside
from tin_kettle.core.deliver.formats import Container
from tin_kettle.core.deliver.listening_page.document import Coding, Page, PageSong, PageTake
from tin_kettle.core.deliver.ogg import with_steady_serial
from tin_kettle.core.deliver.printing import PrintSettings, print_extent, print_song
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
class MadeTake:
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
class MadePage:
    """A finished page: its file, hash and id, and what each song's takes measure."""

    file: Path
    bytes: int
    sha256: str
    id: str
    songs: tuple[tuple[str, tuple[MadeTake, ...]], ...]

    def document(self) -> dict[str, Any]:
        """Plain values."""
        songs = [{"title": title, "takes": [take.document() for take in takes]} for title, takes in self.songs]
        return {"file": str(self.file), "bytes": self.bytes, "sha256": self.sha256, "id": self.id, "songs": songs}


def make_page(page: Page, folder: Path, out: Path, progress: Progress | None = None) -> MadePage:
    """Make a page; the same input gives the same bytes, and no half-written file stays.

    Args:
        folder: what paths of the document are relative to.

    Raises:
        KettleError: a file or a recipe is refused, or takes of a song have different rates.
    """
    takes = sum(len(song.takes) for song in page.songs)
    done = 0
    made: list[tuple[str, tuple[MadeTake, ...]]] = []
    with tempfile.TemporaryDirectory(prefix="tin-kettle-") as scratch:
        coded: list[list[Path]] = []
        for number, song in enumerate(page.songs):
            opened = [_opened(take, folder, f"$.songs[{number}].takes[{i}]") for i, take in enumerate(song.takes)]
            try:
                _one_rate(song, [source for source, _ in opened])
                longest = max(_frames(source, recipe) for source, recipe in opened)
                printed = []
                paths = []
                for i, (take, (source, recipe)) in enumerate(zip(song.takes, opened, strict=True)):
                    path = Path(scratch) / f"{number}-{i}.{CONTAINERS[page.coding]}"

                    def report(share: float, done: int = done) -> None:
                        if progress:
                            progress(0.9 * (done + share) / takes)

                    measures = _code(take, source, recipe, longest, page.coding, path, report)
                    done += 1
                    printed.append((take.name, measures))
                    paths.append(path)
            finally:
                for source, _ in opened:
                    source.close()
            coded.append(paths)
            made.append((song.title, tuple(_matched(printed, page.match))))
        page_id = _id_of(page)
        try:
            with written_beside(out) as beside, beside.open("w", encoding="utf-8", newline="\n") as file:
                for piece in _pieces(page, page_id, made, coded):
                    file.write(piece)
        except OSError as problem:
            raise AudioError(f"{out} cannot be written ({problem.strerror}); choose another folder") from None
    with out.open("rb") as finished:
        sha256 = hashlib.file_digest(finished, "sha256").hexdigest()
    if progress:
        progress(1.0)
    return MadePage(out, out.stat().st_size, sha256, page_id, tuple(made))


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


def _code(
    take: PageTake, source: FileSource, recipe: Recipe, frames: int, coding: Coding, path: Path, progress: Progress
) -> dict[str, Any]:
    """Print a take, padded to so many frames, as it goes into the page; returns what it measures."""
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
    measures = print_song(recipe, {recipe.buses[0].id: source}, path, settings, progress).measures
    if coding == "opus":
        with_steady_serial(path)
    with closing(FileSource(path)) as written:
        return {"lufs": measures["integrated_lufs"], "frames": written.frames, "rate_hz": written.rate_hz}


def _matched(printed: list[tuple[str, dict[str, Any]]], match: bool) -> Iterator[MadeTake]:
    """Each take turned down to the quietest one."""
    known = [measures["lufs"] for _, measures in printed if measures["lufs"] is not None]
    for name, measures in printed:
        lufs = measures["lufs"]
        gain_db = min(round(min(known) - lufs, 2), 0.0) + 0.0 if match and lufs is not None else 0.0
        yield MadeTake(name, lufs, gain_db, measures["frames"], measures["rate_hz"])


def _id_of(page: Page) -> str:
    """The same for every round of the same songs, so that comments find them again."""
    about = json.dumps([page.title, page.artist, [song.title for song in page.songs]], ensure_ascii=False)
    return hashlib.sha256(about.encode()).hexdigest()[:16]


def _pieces(
    page: Page, page_id: str, made: list[tuple[str, tuple[MadeTake, ...]]], coded: list[list[Path]]
) -> Iterator[str]:
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
            for song, (_, takes) in zip(page.songs, made, strict=True)
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
    told = json.dumps(about, ensure_ascii=False).replace("<", "\\u003c").replace("\u2028", "\\u2028")
    yield f'<script type="application/json" id="page">{told}</script>\n'
    for number, ((_, takes), paths) in enumerate(zip(made, coded, strict=True)):
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
