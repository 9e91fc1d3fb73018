"""Cue sheets: which file each song is, and the silence before it."""

from __future__ import annotations

import re
from collections.abc import Sequence
from pathlib import Path

from tin_kettle.core.record.document import RecordHead, SongLayout

_CONTROL = re.compile(r"[\x00-\x1f\x7f-\x9f\u2028\u2029]")
FRAMES_A_SECOND = 75
"""Of the times of a cue sheet."""


def cue_sheet(record: RecordHead, songs: Sequence[tuple[str, SongLayout]], files: Sequence[str]) -> str:
    """The record's songs, as (title, how it lies), in order, each a file."""
    lines = _head(record)
    for number, ((title, laid), name) in enumerate(zip(songs, files, strict=True), 1):
        lines += [
            f'FILE "{_quoted(name)}" {_kind(name)}',
            f"  TRACK {number:02} AUDIO",
            f'    TITLE "{_quoted(title)}"',
        ]
        if laid.isrc:
            lines.append(f"    ISRC {laid.isrc}")
        if number > 1 and laid.gap_s > 0:
            lines.append(f"    PREGAP {cue_time(laid.gap_s)}")
        lines.append("    INDEX 01 00:00:00")
    return "\n".join(lines) + "\n"


def cue_sheet_into(
    record: RecordHead, songs: Sequence[tuple[str, SongLayout]], file: str, starts: Sequence[int], rate_hz: int
) -> str:
    """The record as one file: where each song begins in it (frames), and the gap before."""
    lines = [*_head(record), f'FILE "{_quoted(file)}" {_kind(file)}']
    for number, ((title, laid), start) in enumerate(zip(songs, starts, strict=True), 1):
        lines += [f"  TRACK {number:02} AUDIO", f'    TITLE "{_quoted(title)}"']
        if laid.isrc:
            lines.append(f"    ISRC {laid.isrc}")
        if number > 1 and laid.gap_s > 0:
            lines.append(f"    INDEX 00 {cue_time(start / rate_hz - laid.gap_s)}")
        lines.append(f"    INDEX 01 {cue_time(start / rate_hz)}")
    return "\n".join(lines) + "\n"


def _head(record: RecordHead) -> list[str]:
    lines = [f'TITLE "{_quoted(record.title)}"']
    if record.artist:
        lines.append(f'PERFORMER "{_quoted(record.artist)}"')
    if record.upc:
        lines.append(f"CATALOG {record.upc:>013}")
    return lines


def _kind(file: str) -> str:
    return {".mp3": "MP3", ".aiff": "AIFF"}.get(Path(file).suffix, "WAVE")


def _quoted(text: str) -> str:
    return " ".join(_CONTROL.sub(" ", text).split()).replace('"', "'")


def cue_time(seconds: float) -> str:
    """``MM:SS:FF`` in frames of a 75th of a second."""
    frames = int(seconds * FRAMES_A_SECOND + 0.5)
    return f"{frames // (60 * FRAMES_A_SECOND):02}:{frames // FRAMES_A_SECOND % 60:02}:{frames % FRAMES_A_SECOND:02}"
