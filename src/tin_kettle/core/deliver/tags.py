"""What a file says of itself: title, artist, record, number, codes, cover; by mutagen, in each container's own way."""

from __future__ import annotations

import base64
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from mutagen import aiff, flac, id3, mp3, oggopus, oggvorbis
from mutagen.flac import Picture

from tin_kettle.core.deliver.formats import Container
from tin_kettle.core.errors import RecordError

COVERS = {b"\x89PNG": "image/png", b"\xff\xd8\xff": "image/jpeg"}
MOST_COVER_BYTES = 8 << 20
FRONT = 3
"""The kind of picture that a front cover is, in ID3 and in FLAC."""


@dataclass(frozen=True)
class Heading:
    """What a song is called, and what it belongs to; ``number`` is its place from 1 ``of`` so many."""

    title: str
    record: str = ""
    artist: str = ""
    number: int = 1
    of: int = 1
    date: str | None = None
    isrc: str | None = None
    upc: str | None = None
    cover: bytes | None = None


def read_cover(path: Path) -> bytes:
    """A cover picture.

    Raises:
        RecordError: it cannot be read, is too large, or neither PNG nor JPEG.
    """
    try:
        data = path.read_bytes()
    except OSError as problem:
        raise RecordError("$.cover", f"{path} cannot be read ({problem.strerror}); name a PNG or JPEG file") from None
    cover_type(data)
    return data


def cover_type(cover: bytes) -> str:
    """The media type of a cover picture.

    Raises:
        RecordError: it is too large, or neither PNG nor JPEG.
    """
    if len(cover) > MOST_COVER_BYTES:
        raise RecordError("$.cover", f"has {len(cover)} bytes; at most {MOST_COVER_BYTES} are allowed")
    for begins, mime in COVERS.items():
        if cover.startswith(begins):
            return mime
    raise RecordError("$.cover", "is neither PNG nor JPEG; name a picture of one of these kinds")


def holds_tags(container: Container) -> bool:
    """Whether a file of this container can say what it is."""
    return container in _WRITERS


def write_tags(path: Path, container: Container, heading: Heading) -> None:
    """Say in a file what it is, where its container can: WAV, Broadcast WAV and RF64 say it in their names alone."""
    write = _WRITERS.get(container)
    if write is not None:
        write(path, heading)


def _comments(heading: Heading) -> dict[str, str]:
    """Vorbis comments by their usual names; what is not known is not said."""
    said = {
        "TITLE": heading.title,
        "ARTIST": heading.artist,
        "ALBUM": heading.record,
        "TRACKNUMBER": str(heading.number),
        "TRACKTOTAL": str(heading.of),
        "DATE": heading.date,
        "ISRC": heading.isrc,
        "BARCODE": heading.upc,
    }
    return {name: value for name, value in said.items() if value}


def _picture(cover: bytes) -> Picture:
    picture = Picture()
    picture.type, picture.mime, picture.data = FRONT, cover_type(cover), cover
    return picture


def _flac(path: Path, heading: Heading) -> None:
    file = flac.FLAC(path)
    file.update(_comments(heading))
    if heading.cover:
        file.add_picture(_picture(heading.cover))
    file.save()


def _ogg(kind: Callable[[Path], Any]) -> Callable[[Path, Heading], None]:
    def write(path: Path, heading: Heading) -> None:
        file = kind(path)
        file.update(_comments(heading))
        if heading.cover:
            # pictures stand in comments, as base 64 of what FLAC has
            file["METADATA_BLOCK_PICTURE"] = base64.b64encode(_picture(heading.cover).write()).decode("ascii")
        file.save()

    return write


def _id3(kind: Callable[[Path], Any]) -> Callable[[Path, Heading], None]:
    def write(path: Path, heading: Heading) -> None:
        file = kind(path)
        if file.tags is None:
            file.add_tags()
        frames: list[tuple[Any, str | None]] = [
            (id3.TIT2, heading.title),
            (id3.TPE1, heading.artist),
            (id3.TALB, heading.record),
            (id3.TRCK, f"{heading.number}/{heading.of}"),
            (id3.TDRC, heading.date),
            (id3.TSRC, heading.isrc),
        ]
        for frame, text in frames:
            if text:
                file.tags.add(frame(encoding=id3.Encoding.UTF8, text=[text]))
        if heading.upc:
            file.tags.add(id3.TXXX(encoding=id3.Encoding.UTF8, desc="BARCODE", text=[heading.upc]))
        if heading.cover:
            file.tags.add(id3.APIC(mime=cover_type(heading.cover), type=FRONT, desc="", data=heading.cover))
        file.save()

    return write


_WRITERS: dict[Container, Callable[[Path, Heading], None]] = {
    "flac": _flac,
    "ogg": _ogg(oggvorbis.OggVorbis),
    "opus": _ogg(oggopus.OggOpus),
    "mp3": _id3(mp3.MP3),
    "aiff": _id3(aiff.AIFF),
}
