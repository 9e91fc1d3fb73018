"""Ogg streams that are the same on any day: the encoder draws their serial number by lot (RFC 3533, section 6)."""

from __future__ import annotations

from pathlib import Path

from mutagen.ogg import OggPage

from tin_kettle.core.atomic_files import written_beside

SERIAL = 1


def with_steady_serial(path: Path) -> None:
    """Give the only stream of an Ogg file number 1; checksums of its pages follow."""
    size = path.stat().st_size
    with path.open("rb") as file, written_beside(path) as beside, beside.open("wb") as out:
        while file.tell() < size:
            page = OggPage(file)
            page.serial = SERIAL
            out.write(page.write())
