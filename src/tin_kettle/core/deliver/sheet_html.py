"""The delivery sheet as one HTML page, that prints well."""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence
from html import escape

from tin_kettle.core.deliver.documents import FIGURES, Sheet, SheetSong, clock, figure

_STYLE = """
body { font: 13px/1.45 "Archivo", "Helvetica Neue", Arial, sans-serif; color: #1f2428; background: #fff;
  max-width: 900px; margin: 24px auto; padding: 0 20px; }
h1 { font-size: 22px; margin: 0; } h2 { font-size: 15px; margin: 22px 0 4px; border-top: 2px solid #20426b;
  padding-top: 6px; } p { margin: 3px 0; } small, th { color: #585750; font-weight: 500; }
table { border-collapse: collapse; width: 100%; font-variant-numeric: tabular-nums; }
th, td { text-align: left; padding: 2px 8px 2px 0; border-bottom: 1px solid #dfdbd1; vertical-align: top; }
.passed { color: #28604f; } .failed { color: #a84a23; } code { font-size: 10px; word-break: break-all; }
svg { display: block; margin: 6px 0; } section { break-inside: avoid; }
@media print { body { margin: 0; max-width: none; } }
"""
LOUD: tuple[float, float] = (-36.0, -4.0)
LOUD_TICKS = (-12, -18, -24, -30)
TONE_HZ: tuple[float, float] = (31.0, 16500.0)
TONE_TICKS = {100: "100 Hz", 1000: "1 kHz", 10000: "10 kHz"}


def sheet_html(sheet: Sheet) -> str:
    """The whole page; everything is in it, nothing is fetched."""
    record = sheet.record
    seconds = sum(song.seconds + (song.laid.gap_s if n else 0.0) for n, song in enumerate(sheet.songs))
    about = [record.artist, f"{len(sheet.songs)} songs, {clock(seconds)}", record.date or ""]
    about += [f"UPC {record.upc}"] if record.upc else []
    parts = [
        f"<h1>{escape(record.title)}</h1>",
        f"<p>{escape(' · '.join(part for part in about if part))}</p>",
        _songs(sheet),
        _files(sheet),
        *(_song(number, song) for number, song in enumerate(sheet.songs, 1)),
    ]
    if sheet.stands_out:
        told = "".join(f"<li>{escape(line)}</li>" for line in sheet.stands_out)
        parts.insert(3, f"<h2>What stands out</h2><ul>{told}</ul>")
    title = escape(f"{record.title}: delivery")
    return (
        f'<!doctype html>\n<html lang="en"><head><meta charset="utf-8"><title>{title}</title>'
        f"<style>{_STYLE}</style></head>\n<body>{''.join(parts)}</body></html>\n"
    )


def _table(head: Sequence[str], rows: Iterable[Sequence[str]]) -> str:
    top = "".join(f"<th>{name}</th>" for name in head)
    body = "".join("<tr>" + "".join(f"<td>{cell}</td>" for cell in row) + "</tr>" for row in rows)
    return f"<table><thead><tr>{top}</tr></thead><tbody>{body}</tbody></table>"


def _songs(sheet: Sheet) -> str:
    rows = []
    for number, song in enumerate(sheet.songs, 1):
        gap = "" if number == 1 else f"{song.laid.gap_s:g} s".replace("-", "−")
        level = figure(song.laid.gain_db, "dB")
        rows.append([str(number), escape(song.title), clock(song.seconds), gap, level, song.laid.isrc or ""])
    return "<h2>Songs</h2>" + _table(["", "song", "length", "gap before", "level", "ISRC"], rows)


def _files(sheet: Sheet) -> str:
    if not sheet.files:
        return "<h2>Files</h2><p>Nothing has been delivered yet.</p>"
    rows = []
    for file in sheet.files:
        mark = "passed" if file.passed else "failed"
        said = "passed" if file.passed else escape("; ".join(file.reasons))
        peaks = file.measures or {}
        figures = [
            figure(peaks.get(name), unit) for name, unit in (("integrated_lufs", "LUFS"), ("true_peak_dbtp", "dBTP"))
        ]
        named = f"{escape(file.file)}<br><code>{file.sha256}</code>"
        rows.append([escape(file.spec), named, *figures, f'<span class="{mark}">{said}</span>'])
    return "<h2>Files</h2>" + _table(["spec", "file, SHA-256", "loudness", "true peak", "checked"], rows)


def _song(number: int, song: SheetSong) -> str:
    figures = [
        [words, figure(song.received.get(name), unit), figure(song.mastered.get(name), unit)]
        for name, words, unit in FIGURES
    ]
    sections = [[escape(name), figure(lufs, "LUFS")] for name, lufs in song.sections]
    notes = [[escape(where), escape(text)] for where, text in song.notes]
    chain = "".join(f"<li>{escape(words)}</li>" for words in song.chain) or "<li>nothing</li>"
    return (
        f"<section><h2>{number} {escape(song.title)}</h2>"
        f"<p><small>short-term loudness as mastered</small></p>{_loudness_svg(song)}"
        f"<p><small>tone, third octaves, mid: grey as received, blue as mastered</small></p>{_tone_svg(song)}"
        f"{_table(['whole song', 'received', 'mastered'], figures)}"
        + (_table(["section", "loudness"], sections) if sections else "")
        + f"<p><small>what was done, in order</small></p><ol>{chain}</ol>"
        + (f"<p><small>for the mix</small></p>{_table(['at', 'note'], notes)}" if notes else "")
        + "</section>"
    )


def polyline(points: Iterable[tuple[float, float] | None]) -> list[list[tuple[float, float]]]:
    """Runs of points between those that are missing."""
    runs: list[list[tuple[float, float]]] = [[]]
    for point in points:
        if point is None:
            runs.append([])
        else:
            runs[-1].append(point)
    return [run for run in runs if len(run) > 1]


def loud_y(lufs: float, height: float) -> float:
    """Where a loudness stands in a box, from its upper edge."""
    low, high = LOUD
    return height * (high - min(max(lufs, low), high)) / (high - low)


def tone_x(hz: float, width: float) -> float:
    """Where a frequency stands in a box, from its left edge."""
    low, high = (math.log2(edge) for edge in TONE_HZ)
    return (math.log2(hz) - low) / (high - low) * width


def loudness_points(song: SheetSong, width: float, height: float) -> list[list[tuple[float, float]]]:
    """The line of short-term loudness in a box, from its upper left corner."""
    last = max(len(song.short_term_lufs) - 1, 1)
    return polyline(
        None if lufs is None else (n / last * width, loud_y(lufs, height))
        for n, lufs in enumerate(song.short_term_lufs)
    )


def tone_points(measures: dict[str, object], width: float, height: float) -> list[list[tuple[float, float]]]:
    """Third octaves of the mid in a box of 60 dB, at their own loudness and tilted by 3 dB an octave."""
    spectrum, level = measures["spectrum"], measures["integrated_lufs"]
    assert isinstance(spectrum, dict)
    offset = level if isinstance(level, float) else -30.0
    points: list[tuple[float, float] | None] = []
    for hz, db in zip(spectrum["hz"], spectrum["mid_db"], strict=True):
        if TONE_HZ[0] <= hz <= TONE_HZ[1]:
            shown = db - offset + 3.0 * math.log2(hz / 1000.0)
            share = min(max((10.0 - shown) / 60.0, 0.0), 1.0)
            points.append((tone_x(hz, width), share * height))
    return polyline(points)


def _svg(width: int, height: int, ticks: str, lines: Iterable[tuple[str, list[list[tuple[float, float]]]]]) -> str:
    drawn = "".join(
        f'<polyline fill="none" stroke="{ink}" stroke-width="1.4" points="'
        + " ".join(f"{x:.1f},{y:.1f}" for x, y in run)
        + '"/>'
        for ink, runs in lines
        for run in runs
    )
    return (
        f'<svg width="{width}" height="{height}" viewBox="0 0 {width} {height}" font-size="9" fill="#585750">'
        f'<rect width="{width}" height="{height}" fill="#fcfbf7" stroke="#cdc8bc"/>{ticks}{drawn}</svg>'
    )


def _loudness_svg(song: SheetSong) -> str:
    ticks = "".join(
        f'<line x1="0" x2="860" y1="{loud_y(lufs, 90):.1f}" y2="{loud_y(lufs, 90):.1f}" stroke="#e7e3d9"/>'
        f'<text x="3" y="{loud_y(lufs, 90) - 2:.1f}">−{-lufs} LUFS</text>'
        for lufs in LOUD_TICKS
    )
    return _svg(860, 90, ticks, [("#8a6206", loudness_points(song, 860, 90))])


def _tone_svg(song: SheetSong) -> str:
    ticks = "".join(
        f'<line y1="0" y2="110" x1="{tone_x(hz, 860):.1f}" x2="{tone_x(hz, 860):.1f}" stroke="#e7e3d9"/>'
        f'<text x="{tone_x(hz, 860) + 3:.1f}" y="107">{words}</text>'
        for hz, words in TONE_TICKS.items()
    )
    lines = [("#a5abad", tone_points(song.received, 860, 110)), ("#20426b", tone_points(song.mastered, 860, 110))]
    return _svg(860, 110, ticks, lines)
