"""The delivery sheet as PDF, by fpdf2."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import UTC, datetime
from importlib.resources import as_file, files
from typing import TYPE_CHECKING

from tin_kettle.core.deliver.documents import FIGURES, Sheet, SheetSong, clock, figure
from tin_kettle.core.deliver.sheet_html import (
    LOUD_TICKS,
    TONE_TICKS,
    loud_y,
    loudness_points,
    tone_points,
    tone_x,
)

if TYPE_CHECKING:
    from fpdf import FPDF

_WIDTH_MM = 180.0
_INK, _MUTE, _RIM, _TIN, _MUSTARD = (
    (31, 36, 40),
    (88, 87, 80),
    (32, 66, 107),
    (165, 171, 173),
    (138, 98, 6),
)
MOST_IN_CELL, MOST_LINES_IN_CELL = 600, 8
"""Characters, which fill two thirds of a page in the narrowest column, and lines."""
_LONG_AGO = datetime(2000, 1, 1, tzinfo=UTC)


def sheet_pdf(sheet: Sheet) -> bytes:
    """The pages; the same bytes on any day."""
    from fpdf import FPDF  # noqa: PLC0415  loads for a second

    pdf = FPDF(format="A4")
    pdf.set_creation_date(_LONG_AGO)
    pdf.set_title(f"{sheet.record.title}: delivery")
    with as_file(files("tin_kettle.core.deliver").joinpath("fonts")) as folder:
        pdf.add_font("Archivo", "", folder / "archivo-400.ttf")
        pdf.add_font("Archivo", "B", folder / "archivo-680.ttf")
    pdf.set_margins(15, 15, 15)
    pdf.set_auto_page_break(True, 15)
    pdf.add_page()
    _head(pdf, sheet)
    _files(pdf, sheet)
    if sheet.stands_out:
        _heading(pdf, "What stands out")
        for line in sheet.stands_out:
            _line(pdf, line)
    for number, song in enumerate(sheet.songs, 1):
        pdf.add_page()
        _song(pdf, number, song)
    return bytes(pdf.output())


def _line(pdf: FPDF, text: str, size: float = 9, ink: tuple[int, int, int] = _INK, bold: bool = False) -> None:
    pdf.set_font("Archivo", "B" if bold else "", size)
    pdf.set_text_color(*ink)
    pdf.multi_cell(_WIDTH_MM, size * 0.5, _drawable(text), new_x="LMARGIN", new_y="NEXT")


def _drawable(text: str) -> str:
    """What the font does not have, as a question mark."""
    return "".join(char if ord(char) < 0x250 or char in "−—–…’“”" else "?" for char in text)


def _cut(text: str) -> str:
    """What a cell shows of a text: a row has to fit on a page."""
    first = "\n".join(text.splitlines()[:MOST_LINES_IN_CELL])
    return first if len(first) <= MOST_IN_CELL else f"{first[: MOST_IN_CELL - 1]}…"


def _heading(pdf: FPDF, text: str) -> None:
    pdf.ln(3)
    pdf.set_draw_color(*_RIM)
    pdf.set_line_width(0.5)
    pdf.line(15, pdf.get_y(), 15 + _WIDTH_MM, pdf.get_y())
    pdf.ln(1.5)
    _line(pdf, text, 11, bold=True)
    pdf.ln(0.8)


def _table(pdf: FPDF, widths: Sequence[float], head: Sequence[str], rows: Sequence[Sequence[str]]) -> None:
    pdf.set_font("Archivo", "", 8)
    pdf.set_draw_color(223, 219, 209)
    pdf.set_line_width(0.2)
    pdf.set_text_color(*_INK)
    with pdf.table(
        col_widths=tuple(widths), width=_WIDTH_MM, borders_layout="HORIZONTAL_LINES", line_height=4.2, text_align="LEFT"
    ) as table:
        for row in (head, *rows):
            cells = table.row()
            for cell in row:
                cells.cell(_cut(_drawable(cell)))


def _head(pdf: FPDF, sheet: Sheet) -> None:
    record = sheet.record
    seconds = sum(song.seconds + (song.laid.gap_s if n else 0.0) for n, song in enumerate(sheet.songs))
    _line(pdf, record.title, 18, bold=True)
    about = [record.artist, f"{len(sheet.songs)} songs, {clock(seconds)}", record.date or ""]
    about += [f"UPC {record.upc}"] if record.upc else []
    _line(pdf, " · ".join(part for part in about if part), ink=_MUTE)
    _heading(pdf, "Songs")
    rows = [
        [
            str(number),
            song.title,
            clock(song.seconds),
            "" if number == 1 else f"{song.laid.gap_s:g} s".replace("-", "−"),
            figure(song.laid.gain_db, "dB"),
            song.laid.isrc or "",
        ]
        for number, song in enumerate(sheet.songs, 1)
    ]
    _table(pdf, (6, 66, 24, 24, 24, 36), ("", "song", "length", "gap before", "level", "ISRC"), rows)


def _files(pdf: FPDF, sheet: Sheet) -> None:
    _heading(pdf, "Files")
    if not sheet.files:
        _line(pdf, "Nothing has been delivered yet.")
        return
    rows = [
        [
            file.spec,
            f"{file.file}\n{file.sha256}",
            figure((file.measures or {}).get("integrated_lufs"), "LUFS"),
            figure((file.measures or {}).get("true_peak_dbtp"), "dBTP"),
            "passed" if file.passed else "; ".join(file.reasons),
        ]
        for file in sheet.files
    ]
    _table(pdf, (28, 82, 22, 22, 26), ("spec", "file, SHA-256", "loudness", "true peak", "checked"), rows)


def _song(pdf: FPDF, number: int, song: SheetSong) -> None:
    _heading(pdf, f"{number} {song.title}")
    _line(pdf, "short-term loudness as mastered", 8, _MUTE)
    across = [(0.0, loud_y(lufs, 24), f"−{-lufs} LUFS") for lufs in LOUD_TICKS]
    _picture(pdf, 24, across, [(_MUSTARD, loudness_points(song, _WIDTH_MM, 24))])
    _line(pdf, "tone, third octaves, mid: grey as received, blue as mastered", 8, _MUTE)
    tones = [(_TIN, tone_points(song.received, _WIDTH_MM, 30)), (_RIM, tone_points(song.mastered, _WIDTH_MM, 30))]
    along = [(tone_x(hz, _WIDTH_MM), 0.0, words) for hz, words in TONE_TICKS.items()]
    _picture(pdf, 30, along, tones)
    figures = [
        [words, figure(song.received.get(name), unit), figure(song.mastered.get(name), unit)]
        for name, words, unit in FIGURES
    ]
    _table(pdf, (60, 60, 60), ("whole song", "received", "mastered"), figures)
    if song.sections:
        pdf.ln(2)
        _table(pdf, (60, 120), ("section", "loudness"), [[name, figure(lufs, "LUFS")] for name, lufs in song.sections])
    pdf.ln(2)
    _line(pdf, "what was done, in order", 8, _MUTE)
    for place, words in enumerate(song.chain, 1):
        _line(pdf, f"{place}. {words}")
    if song.notes:
        pdf.ln(2)
        _line(pdf, "for the mix", 8, _MUTE)
        # as text and not as a table: a row of a table has to fit on a page, a note does not
        for at, note in song.notes:
            _line(pdf, f"{at}  {note}".strip())


def _picture(
    pdf: FPDF,
    height: float,
    ticks: Sequence[tuple[float, float, str]],
    lines: Sequence[tuple[tuple[int, int, int], list[list[tuple[float, float]]]]],
) -> None:
    """A box with lines in it; a tick stands at an x and goes down, or at a y and goes across."""
    left, top = 15.0, pdf.get_y() + 0.5
    pdf.set_draw_color(205, 200, 188)
    pdf.set_line_width(0.2)
    pdf.rect(left, top, _WIDTH_MM, height)
    pdf.set_font("Archivo", "", 6)
    pdf.set_text_color(*_MUTE)
    pdf.set_draw_color(231, 227, 217)
    for x, y, words in ticks:
        pdf.line(left + x, top + y, left + (x or _WIDTH_MM), top + (y or height))
        pdf.text(left + x + 0.8, top + (y or height) - 0.7, words)
    pdf.set_line_width(0.35)
    for ink, runs in lines:
        pdf.set_draw_color(*ink)
        for run in runs:
            pdf.polyline([(left + x, top + y) for x, y in run])
    pdf.set_y(top + height + 2)
