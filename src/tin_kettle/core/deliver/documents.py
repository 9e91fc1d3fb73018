"""What goes with a delivery: its facts, once, for the sheet, the figures and the lists."""

from __future__ import annotations

import csv
import io
from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Any

from tin_kettle.core.measure.song_measures import Measures
from tin_kettle.core.record.document import RecordHead, SongLayout
from tin_kettle.core.spreadsheet_text import plain_cell

FIGURES = (
    ("integrated_lufs", "loudness", "LUFS"),
    ("max_short_term_lufs", "loudest 3 s", "LUFS"),
    ("loudness_range_lu", "range", "LU"),
    ("true_peak_dbtp", "true peak", "dBTP"),
    ("peak_to_loudness_lu", "peak to loudness", "LU"),
    ("correlation", "correlation", ""),
    ("mono_loss_lu", "lost in mono", "LU"),
)
"""Measures of the sheet: name, words, unit."""


@dataclass(frozen=True)
class SheetSong:
    """A song on the papers.

    Args:
        chain: its stages in words.
        received, mastered: whole-song measures before and after.
        sections: name, loudness as mastered.
        notes: for whoever mixed it, as where and what; those that are ticked off are left out.
        short_term_lufs: of evenly spaced moments from start to end, None where it is silent.
    """

    title: str
    laid: SongLayout
    seconds: float
    chain: Sequence[str]
    received: Measures
    mastered: Measures
    sections: Sequence[tuple[str, float | None]]
    short_term_lufs: Sequence[float | None]
    notes: Sequence[tuple[str, str]] = field(default=())


@dataclass(frozen=True)
class SheetFile:
    """A delivered file: why it does not pass, where it does not."""

    song: str
    spec: str
    file: str
    sha256: str
    passed: bool
    reasons: Sequence[str] = field(default=())
    measures: Measures | None = None


@dataclass(frozen=True)
class Sheet:
    """All that the papers say; ``stands_out`` in words."""

    record: RecordHead
    songs: Sequence[SheetSong]
    files: Sequence[SheetFile]
    stands_out: Sequence[str] = ()


def figure(value: float | None, unit: str) -> str:
    """``−13.3 LUFS``; a dash where there is none."""
    if value is None:
        return "—"
    digits = 2 if unit == "" else 1
    return f"{value:.{digits}f} {unit}".strip().replace("-", "−")


def clock(seconds: float) -> str:
    """``2:05.3``."""
    tenths = round(10.0 * seconds)
    return f"{tenths // 600}:{tenths % 600 / 10:04.1f}"


def figures_csv(sheet: Sheet) -> str:
    """Every figure of every song, received, mastered and by file, one a line: song, of, name, value, unit."""
    out = io.StringIO()
    rows = csv.writer(out, lineterminator="\r\n")
    rows.writerow(["song", "of", "measure", "value", "unit"])
    for song in sheet.songs:
        title = plain_cell(song.title)
        for of, measures in (("received", song.received), ("mastered", song.mastered)):
            rows.writerows([title, of, name, _plain(measures.get(name)), unit] for name, _, unit in FIGURES)
        for name, lufs in song.sections:
            rows.writerow([title, plain_cell(name), "integrated_lufs", _plain(lufs), "LUFS"])
    for file in sheet.files:
        if file.measures:
            of = plain_cell(f"{file.spec}: {file.file}")
            rows.writerows(
                [plain_cell(file.song), of, name, _plain(file.measures.get(name)), unit] for name, _, unit in FIGURES
            )
    return out.getvalue()


def _plain(value: Any) -> str:
    return "" if value is None else f"{value:.3f}"


def hash_list(files: Sequence[SheetFile]) -> str:
    """SHA-256 of every file, as ``sha256sum --check`` reads it."""
    return "".join(f"{file.sha256}  {file.file}\n" for file in files)
