"""What goes with a delivery: the sheet in words and figures, as HTML and PDF; figures and hashes as lists."""

import csv
import io
import re
from dataclasses import replace

import numpy as np
import pytest

from tests.conftest import RATE_HZ, music
from tin_kettle.core.deliver.documents import (
    FIGURES,
    Sheet,
    SheetFile,
    SheetSong,
    clock,
    figure,
    figures_csv,
    hash_list,
)
from tin_kettle.core.deliver.sheet_html import loud_y, polyline, sheet_html, tone_x
from tin_kettle.core.deliver.sheet_pdf import sheet_pdf
from tin_kettle.core.measure.song_measures import SongMeter
from tin_kettle.core.record.document import RecordHead, SongLayout
from tin_kettle.core.spreadsheet_text import plain_cell


def measured(sound):
    meter = SongMeter(RATE_HZ)
    meter.feed(np.ascontiguousarray(sound))
    return meter.finish()


@pytest.fixture(scope="module")
def sheet():
    before, after = measured(music(4.0) * 0.3), measured(music(4.0) * 0.5)
    songs = [
        SheetSong(
            title,
            SongLayout(gain_db=-1.5, isrc="ZZABC2600001"),
            125.3,
            ["Filters: low cut 28 Hz", "Limiter: ceiling −1 dBTP"],
            before,
            after,
            [("Verse <1>", -14.2), ("=End", None)],
            [None, -20.0, -14.0, -13.0, None],
        )
        for title in ("Low Bridge", "Ähnlich & <laut>")
    ]
    files = [
        SheetFile("Low Bridge", "Disc", "Disc/01 Low Bridge.wav", "ab" * 32, True, (), after),
        SheetFile("Low Bridge", "Web", "Web/01.flac", "cd" * 32, False, ("loudness is −9.0 LUFS",), after),
    ]
    head = RecordHead(title="Slack Water", artist="Ferry Ticket Ensemble", date="2026-11-26", upc="036000291452")
    return Sheet(head, songs, files, ["2: 3 dB softer than the rest"])


def test_the_page_says_all_that_was_measured_and_fetches_nothing(sheet):
    page = sheet_html(sheet)
    for song in sheet.songs:
        for name, _, unit in FIGURES:
            assert figure(song.mastered[name], unit) in page
            assert figure(song.received[name], unit) in page
    for told in ("ab" * 32, "Limiter: ceiling −1 dBTP", "ZZABC2600001", "2:05.3", "036000291452", "−1.5 dB", "softer"):
        assert told in page, told
    assert '<span class="failed">loudness is −9.0 LUFS</span>' in page
    assert not re.search(r"(src|href)=|url\(|@import", page)
    assert page.count("<svg") == 4


def test_names_are_text_and_never_markup(sheet):
    page = sheet_html(sheet)
    assert "Ähnlich &amp; &lt;laut&gt;" in page
    assert "Verse &lt;1&gt;" in page
    assert "<laut>" not in page


def test_the_pdf_has_a_page_for_each_song_and_is_the_same_on_any_day(sheet):
    pdf = sheet_pdf(sheet)
    assert pdf.startswith(b"%PDF-")
    assert len(re.findall(rb"/Type /Page\b", pdf)) == 3
    assert sheet_pdf(sheet) == pdf
    assert len(pdf) < 200_000, "fonts hold only what is used"
    # letters that the font does not have are no reason to fail
    odd = Sheet(RecordHead(title="水 ☂"), [], [])
    assert sheet_pdf(odd).startswith(b"%PDF-")


def test_figures_can_be_read_by_any_table_program(sheet):
    rows = list(csv.reader(io.StringIO(figures_csv(sheet))))
    assert rows[0] == ["song", "of", "measure", "value", "unit"]
    assert {len(row) for row in rows} == {5}
    loud = next(row for row in rows if row[:3] == ["Low Bridge", "mastered", "integrated_lufs"])
    assert float(loud[3]) == pytest.approx(sheet.songs[0].mastered["integrated_lufs"], abs=0.001)
    assert ["Low Bridge", "'=End", "integrated_lufs", "", "LUFS"] in rows, "no formula, and no number where none is"
    assert any(row[1] == "Disc: Disc/01 Low Bridge.wav" for row in rows)


def test_hashes_stand_as_checking_programs_read_them(sheet):
    assert hash_list(sheet.files).splitlines()[0] == "ab" * 32 + "  Disc/01 Low Bridge.wav"


def test_lines_break_where_it_is_silent_and_stay_in_their_box():
    assert polyline([None, (0, 1), (1, 1), None, (2, 2), None]) == [[(0, 1), (1, 1)]]
    assert loud_y(0.0, 100) == 0 and loud_y(-90.0, 100) == 100
    assert tone_x(31.0, 100) == 0
    assert tone_x(16500.0, 100) == pytest.approx(100)
    assert (clock(59.96), clock(125.34)) == ("1:00.0", "2:05.3")


@pytest.mark.parametrize("text", ["line\n" * 300, "w" * 5000, "=" * 3000])
def test_a_note_or_a_name_of_any_length_makes_a_pdf(sheet, text):
    songs = [replace(song, notes=[("0:10", text)], chain=[text], sections=[(text, -14.0)]) for song in sheet.songs]
    files = [replace(file, reasons=(text,), passed=False) for file in sheet.files]
    assert sheet_pdf(replace(sheet, songs=songs, files=files, stands_out=[text])).startswith(b"%PDF")


@pytest.mark.parametrize(
    "text", ["=1", "+1", "-1", "@a", "\t=1", "\uff1d1", "\uff0b1", "\uff0d1", "\uff20a", " =1", "\r=1"]
)
def test_no_cell_begins_a_formula(text):
    assert plain_cell(text) == f"'{text}"
    assert plain_cell(f"a{text}") == f"a{text}"
