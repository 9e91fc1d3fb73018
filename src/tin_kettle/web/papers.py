"""The papers of a delivery: the sheet, the figures, cue sheets, hashes, and all of it with the files."""

from __future__ import annotations

import tempfile
import zipfile
from collections.abc import Callable
from pathlib import PurePosixPath
from typing import Any, cast

from flask import Blueprint, Response, send_file

from tin_kettle.core.deliver.cue import cue_sheet
from tin_kettle.core.deliver.delivery import safe_name
from tin_kettle.core.deliver.papers import Sheet, SheetFile, SheetSong, figures_csv, hash_list
from tin_kettle.core.deliver.sheet_html import sheet_html
from tin_kettle.core.deliver.sheet_pdf import sheet_pdf
from tin_kettle.core.errors import KettleError, LibraryError
from tin_kettle.core.recipe.describe import chain_in_words
from tin_kettle.core.record.laid_out import left_of
from tin_kettle.core.record.levels import measures_in_record, short_term_in_record
from tin_kettle.core.record.standing_out import standing_out
from tin_kettle.core.survey.by_section import by_section
from tin_kettle.core.survey.survey import Survey
from tin_kettle.store import deliveries as kept
from tin_kettle.store.records import KeptSong, RecordState, get_record
from tin_kettle.store.songs import current_revision
from tin_kettle.web.asked import argument, reads
from tin_kettle.web.context import context
from tin_kettle.web.deliveries import shown
from tin_kettle.web.jobs import Job
from tin_kettle.web.surveys import look

blueprint = Blueprint("papers", __name__, url_prefix="/api")
POINTS = 300


def _sheet(record_id: int) -> Sheet:
    """All that the papers say.

    Raises:
        KettleError: a song is not surveyed yet.
    """
    state = get_record(context().library, record_id).state
    pairs = [(song, _surveyed(song, "now"), _surveyed(song, "received")) for song in state.songs]
    told = standing_out([(now, song) for song, now, _ in pairs])
    stands = [f"{' to '.join(map(str, one.songs))}: {one.says}" for one in told]
    songs = [_song(song, now, received) for song, now, received in pairs]
    return Sheet(state, songs, _files(record_id, state), stands)


def _surveyed(song: KeptSong, name: str) -> Survey:
    found = look(song.id, name)
    if isinstance(found, Job):
        raise KettleError(f"'{song.title}' is still being surveyed; the papers are there when all songs are")
    return found


def _song(song: KeptSong, now: Survey, received: Survey) -> SheetSong:
    recipe = current_revision(context().library, song.id).recipe
    start, end = left_of(song, now.frames, now.rate_hz)
    rows = by_section(now, recipe)
    levels = [(row["name"], row["integrated_lufs"]) for row in rows]
    return SheetSong(
        title=song.title,
        laid=song,
        seconds=(end - start) / now.rate_hz,
        chain=[f"{stage['title']}: {stage['summary']}" for stage in chain_in_words(recipe)],
        received=received.measures,
        mastered=measures_in_record(now, song),
        sections=[(name, None if lufs is None else lufs + song.gain_db) for name, lufs in levels],
        short_term_lufs=short_term_in_record(now, song, POINTS),
    )


def _files(record_id: int, state: RecordState) -> list[SheetFile]:
    """Those that are made of what the record is now."""
    titles = {song.id: song.title for song in state.songs}
    order = list(titles)
    rows = [row for row in shown(record_id) if row["state"] == "done" and not row["changed"]]
    rows.sort(key=lambda row: (row["spec"], order.index(row["song_id"])))
    return [
        SheetFile(
            titles[row["song_id"]],
            row["spec"],
            str(PurePosixPath(safe_name(row["spec"])) / row["file_name"]),
            row["sha256"],
            row["passed"],
            row["reasons"],
            row["measures"],
        )
        for row in rows
    ]


def _cue(record_id: int, state: RecordState, spec: str) -> str:
    files = [file for file in _files(record_id, state) if file.spec == spec]
    if len(files) < len(state.songs):
        raise KettleError(f"not every song is delivered by '{spec}'; deliver the others first")
    songs = [(song.title, song) for song in state.songs]
    return cue_sheet(state, songs, [PurePosixPath(file.file).name for file in files])


_PAPERS: dict[str, tuple[str, Callable[[Sheet], Any]]] = {
    "sheet.html": ("text/html", sheet_html),
    "sheet.pdf": ("application/pdf", sheet_pdf),
    "figures.csv": ("text/csv", figures_csv),
    "hashes.sha256": ("text/plain", lambda sheet: hash_list(sheet.files)),
}


@blueprint.get("/records/<int:record_id>/papers/<name>")
@reads("spec")
def paper(record_id: int, name: str) -> Response:
    """One of the papers; a cue sheet is of ``?spec=``."""
    if name == "order.cue":
        state = get_record(context().library, record_id).state
        made, mime = _cue(record_id, state, argument("spec", "")), "text/plain"
    elif name in _PAPERS:
        mime, write = _PAPERS[name]
        made = write(_sheet(record_id))
    else:
        raise LibraryError(f"there is no paper '{name}'; there are order.cue, {', '.join(_PAPERS)}")
    answer = Response(made, mimetype=mime)
    title = safe_name(get_record(context().library, record_id).state.title)
    answer.headers.set("Content-Disposition", "attachment", filename=f"{title} {name}")
    return answer


@blueprint.get("/records/<int:record_id>/delivered.zip")
def everything(record_id: int) -> Response:
    """All files that pass and are made of what the record is now, by spec, with all papers."""
    library = context().library
    sheet = _sheet(record_id)
    rows = {row.id: row for row in kept.newest_deliveries(library, record_id)}
    current = [row for row in shown(record_id) if row["state"] == "done" and not row["changed"]]
    if not current:
        raise KettleError("nothing is delivered yet; tick what is to be made and deliver it")
    title = safe_name(sheet.record.title)
    archive = tempfile.TemporaryFile()  # noqa: SIM115  sent, and closed by who sends it
    # sound does not get smaller
    with zipfile.ZipFile(archive, "w", zipfile.ZIP_STORED) as out:
        for row in current:
            path = kept.delivery_path(library, rows[row["id"]])
            out.write(path, f"{title}/{safe_name(row['spec'])}/{row['file_name']}")
        for name, (_, write) in _PAPERS.items():
            out.writestr(f"{title}/{name}", write(sheet))
        for spec in sorted({row["spec"] for row in current}):
            if sum(row["spec"] == spec for row in current) == len(sheet.songs):
                cue = _cue(record_id, cast(RecordState, sheet.record), spec)
                out.writestr(f"{title}/{safe_name(spec)}/{title}.cue", cue)
    archive.seek(0)
    return send_file(archive, mimetype="application/zip", as_attachment=True, download_name=f"{title}.zip")
