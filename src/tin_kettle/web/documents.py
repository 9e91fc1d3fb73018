"""The papers of a delivery: the sheet, the figures, cue sheets, hashes, and all of it with the files."""

from __future__ import annotations

import tempfile
import zipfile
from collections.abc import Callable
from pathlib import PurePosixPath
from typing import Any

from flask import Blueprint, Response, send_file

from tin_kettle.core.deliver.delivery import cue_of, file_names, safe_name
from tin_kettle.core.deliver.documents import Sheet, SheetFile, SheetSong, figures_csv, hash_list
from tin_kettle.core.deliver.gapless import SongStarts
from tin_kettle.core.deliver.sheet_html import sheet_html
from tin_kettle.core.deliver.sheet_pdf import sheet_pdf
from tin_kettle.core.deliver.spec import Spec
from tin_kettle.core.errors import KettleError, LibraryError
from tin_kettle.core.recipe.describe import chain_in_words
from tin_kettle.core.record.layout import left_of
from tin_kettle.core.record.levels import measures_in_record, short_term_in_record
from tin_kettle.core.record.outliers import standing_out
from tin_kettle.core.survey.mix_notes import where
from tin_kettle.core.survey.section_figures import by_section
from tin_kettle.core.survey.survey import Survey
from tin_kettle.store import deliveries as kept
from tin_kettle.store.records import RecordState, StoredSong, get_record
from tin_kettle.store.songs import current_revision
from tin_kettle.store.specs import get_spec
from tin_kettle.web.context import context, look
from tin_kettle.web.deliveries import shown
from tin_kettle.web.jobs import Job
from tin_kettle.web.notes import for_the_mix
from tin_kettle.web.request_models import argument, reads

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


def _surveyed(song: StoredSong, name: str) -> Survey:
    found = look(song.id, name)
    if isinstance(found, Job):
        raise KettleError(f"'{song.title}' is still being surveyed; the papers are there when all songs are")
    return found


def _song(song: StoredSong, now: Survey, received: Survey) -> SheetSong:
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
        notes=[(where(note.at_s), note.text) for note in for_the_mix(song.id) if not note.done],
    )


def _delivered(record_id: int, state: RecordState) -> list[dict[str, Any]]:
    """Those that are made of what the record is now, by spec, in the record's order."""
    order = [None, *(song.id for song in state.songs)]
    rows = [row for row in shown(record_id) if row["state"] == "done" and not row["changed"]]
    return sorted(rows, key=lambda row: (row["spec"], order.index(row["song_id"])))


def _files(record_id: int, state: RecordState) -> list[SheetFile]:
    titles: dict[int | None, str] = {None: state.title, **{song.id: song.title for song in state.songs}}
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
        for row in _delivered(record_id, state)
    ]


def _cue(record_id: int, state: RecordState, spec: Spec) -> str | None:
    """The cue sheet by a spec; None where not all of the record is delivered by it."""
    rows = [row for row in _delivered(record_id, state) if row["spec"] == spec.name]
    if len(rows) < (1 if spec.files == "whole" else len(state.songs)):
        return None
    starts = SongStarts(**rows[0]["starts"]) if rows[0]["starts"] else None
    return cue_of(state, [(song.title, song) for song in state.songs], spec, [row["file_name"] for row in rows], starts)


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
        spec, mime = get_spec(context().library, argument("spec")), "text/plain"
        made = _cue(record_id, state, spec)
        if made is None:
            raise KettleError(f"not all of the record is delivered by '{spec.name}'; deliver the rest first")
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
    state = get_record(library, record_id).state
    rows = {row.id: row for row in kept.newest_deliveries(library, record_id)}
    current = [row for row in _delivered(record_id, state) if row["passed"]]
    if not current:
        raise KettleError("no delivered file passes its checks; deliver what is missing, or see what failed")
    specs = {name: get_spec(library, name) for name in sorted({row["spec"] for row in current})}
    file_names(state, [(song.title, song) for song in state.songs], list(specs.values()))
    title = safe_name(sheet.record.title)
    archive = tempfile.TemporaryFile()  # noqa: SIM115  sent, and closed by who sends it
    # sound does not get smaller
    with zipfile.ZipFile(archive, "w", zipfile.ZIP_STORED) as out:
        for row in current:
            path = kept.delivery_path(library, rows[row["id"]])
            out.write(path, f"{title}/{safe_name(row['spec'])}/{row['file_name']}")
        for name, (_, write) in _PAPERS.items():
            out.writestr(f"{title}/{name}", write(sheet))
        for name, spec in specs.items():
            cue = _cue(record_id, state, spec)
            if cue is not None:
                out.writestr(f"{title}/{safe_name(name)}/{title}.cue", cue)
    archive.seek(0)
    return send_file(archive, mimetype="application/zip", as_attachment=True, download_name=f"{title}.zip")
