"""The ``bext`` chunk of Broadcast WAVE files, version 2 with loudness (EBU Tech 3285)."""

from __future__ import annotations

import shutil
import struct
from pathlib import Path

from tin_kettle.core.atomic_files import written_beside
from tin_kettle.core.measure.song_measures import Measures

_LAYOUT = "<256s32s32s10s8sQH64s5h180s"
_DS64_LENGTH = 20
UNKNOWN = 0x7FFF
"""Of a loudness that is not known."""


def bext_chunk(description: str, originator: str, date: str, measures: Measures) -> bytes:
    """The chunk with its name and length; texts are cut to what it holds.

    Args:
        date: ``YYYY-MM-DD`` or nothing, so that the same delivery is the same file on any day.
    """
    loudness = [
        UNKNOWN if value is None else round(100.0 * value)
        for value in (
            measures["integrated_lufs"],
            measures["loudness_range_lu"],
            measures["true_peak_dbtp"],
            measures["max_momentary_lufs"],
            measures["max_short_term_lufs"],
        )
    ]
    texts = (text.encode("ascii", "replace") for text in (description, originator, "", date, ""))
    body = struct.pack(_LAYOUT, *texts, 0, 2, b"", *loudness, b"")
    return b"bext" + struct.pack("<I", len(body)) + body


def add_chunk(path: Path, chunk: bytes) -> None:
    """Put a chunk at the end of a RIFF or RF64 file; the file is there whole, before and after."""
    with written_beside(path) as beside:
        shutil.copyfile(path, beside)
        with beside.open("r+b") as file:
            file.seek(0, 2)
            if file.tell() % 2:
                file.write(b"\0")
            file.write(chunk)
            length = file.tell() - 8
            file.seek(0)
            if file.read(4) == b"RF64":
                # EBU Tech 3306: the length stands in the ds64 chunk, which comes first
                file.seek(_DS64_LENGTH)
                file.write(struct.pack("<Q", length))
            else:
                file.write(struct.pack("<I", length))
