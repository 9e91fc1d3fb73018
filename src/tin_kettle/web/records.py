"""Records: the list, one with all that its view shows, its edits, what is heard of it."""

from __future__ import annotations

from dataclasses import asdict
from pathlib import Path
from typing import Any, Literal

from flask import Blueprint, Response, jsonify

from tin_kettle.core.errors import KettleError
from tin_kettle.core.listen.loudness_match import match_all
from tin_kettle.core.measure.loudness import stereo_energy
from tin_kettle.core.measure.tonal_map import BANDS_HZ
from tin_kettle.core.recipe.describe import chain_in_words
from tin_kettle.core.record.document import SongLayout
from tin_kettle.core.record.layout import Excerpts, RecordSource, left_of, sounding_s
from tin_kettle.core.record.levels import measures_in_record, short_term_in_record
from tin_kettle.core.record.outliers import HIGHEST_HZ, LOWEST_HZ, relative_tones, standing_out
from tin_kettle.core.survey.survey import Survey
from tin_kettle.store import records as kept
from tin_kettle.store.records import RecordNow
from tin_kettle.store.songs import current_revision
from tin_kettle.store.sources import song_sources
from tin_kettle.web.context import Context, context, look
from tin_kettle.web.jobs import Job
from tin_kettle.web.request_models import Number, RequestModel, argument, reads, takes, whole_number
from tin_kettle.web.surveys import waiting, wave

blueprint = Blueprint("records", __name__, url_prefix="/api")
MOST_COLUMNS = 2000
Part = Literal["all", "joins"]
FIGURES = ("integrated_lufs", "loudness_range_lu", "max_short_term_lufs", "max_momentary_lufs", "true_peak_dbtp")


class RecordRequest(RequestModel):
    title: str
    artist: str = ""


class RecordEditRequest(RequestModel):
    """``base`` is the edit that it was made on."""

    base: Number
    label: str = "edit"
    state: Any


class MarkRequest(RequestModel):
    on: bool


class MoveRequest(RequestModel):
    record: Number


def _shown(record: RecordNow) -> dict[str, Any]:
    library = context().library
    songs = []
    for song in record.state.songs:
        sources = song_sources(library, song.id).values()
        songs.append(
            {
                **song.model_dump(mode="json"),
                "rate_hz": next(iter(sources)).rate_hz,
                "frames": max(source.frames for source in sources),
            }
        )
    head = record.state.model_dump(mode="json", exclude={"songs"})
    about = {"id": record.id, "edit": record.edit, "archived": record.archived}
    return {**about, **head, "songs": songs, "undo": record.undo, "redo": record.redo}


@blueprint.get("/records")
def every() -> Response:
    return jsonify([asdict(row) for row in kept.list_records(context().library)])


@blueprint.post("/records")
@takes(RecordRequest)
def add(given: RecordRequest) -> Response:
    return jsonify(id=kept.add_record(context().library, given.title, given.artist))


@blueprint.get("/records/<int:record_id>")
def one(record_id: int) -> Response:
    return jsonify(_shown(kept.get_record(context().library, record_id)))


@blueprint.put("/records/<int:record_id>")
@takes(RecordEditRequest)
def edit(record_id: int, given: RecordEditRequest) -> Response:
    """Keep an edit: names and numbers, order, levels, gaps, fades."""
    return jsonify(_shown(kept.change_record(context().library, record_id, given.base, given.label[:200], given.state)))


@blueprint.post("/records/<int:record_id>/undo")
def undo(record_id: int) -> Response:
    return jsonify(_shown(kept.step_record(context().library, record_id, back=True)))


@blueprint.post("/records/<int:record_id>/redo")
def redo(record_id: int) -> Response:
    return jsonify(_shown(kept.step_record(context().library, record_id, back=False)))


@blueprint.post("/records/<int:record_id>/archived")
@takes(MarkRequest)
def archive(record_id: int, given: MarkRequest) -> Response:
    kept.archive_record(context().library, record_id, given.on)
    return every()


@blueprint.post("/records/<int:record_id>/deleted")
@takes(MarkRequest)
def delete(record_id: int, given: MarkRequest) -> Response:
    kept.delete_record(context().library, record_id, given.on)
    return every()


@blueprint.post("/songs/<int:song_id>/record")
@takes(MoveRequest)
def move(song_id: int, given: MoveRequest) -> Response:
    """Put a song at the end of another record."""
    kept.move_song(context().library, song_id, given.record)
    return every()


# ---- what is heard and measured of it


@blueprint.get("/records/<int:record_id>/heard")
@reads("columns")
def heard(record_id: int) -> Response:
    """Waveform, loudness and figures of every song that is surveyed; tone and what stands out when all are."""
    library = context().library
    record = kept.get_record(library, record_id).state
    count = min(max(whole_number("columns", 400), 1), MOST_COLUMNS)
    found = {song.id: look(song.id) for song in record.songs}
    surveyed = [(survey, song) for song in record.songs if isinstance(survey := found[song.id], Survey)]
    told: dict[str, Any] = {
        "work": waiting(*found.values()) if found else None,
        "songs": {song.id: _song(survey, song, count) for survey, song in surveyed},
        "chains": {song.id: chain_in_words(current_revision(library, song.id).recipe) for song in record.songs},
        "papers": False,
        "tone": None,
        "stands_out": [],
    }
    if surveyed and len(surveyed) == len(found):
        # the papers tell both
        told["papers"] = waiting(*(look(song.id, "received") for song in record.songs)) is None
        pairs: list[tuple[Survey, SongLayout]] = list(surveyed)
        told["tone"] = _tone([survey for survey, _ in pairs])
        told["stands_out"] = [asdict(one) for one in standing_out(pairs)]
    return jsonify(told)


def _song(survey: Survey, laid: SongLayout, count: int) -> dict[str, Any]:
    start, end = left_of(laid, survey.frames, survey.rate_hz)
    measures = measures_in_record(survey, laid)
    return {
        "wave": wave(survey, start, end, count),
        "short_term_lufs": short_term_in_record(survey, laid, count),
        "sounds_s": [round(at, 2) for at in sounding_s(stereo_energy(survey.slots))],
        "seconds": (end - start) / survey.rate_hz,
        **{name: None if measures[name] is None else round(measures[name], 2) for name in FIGURES},
    }


def _tone(surveys: list[Survey]) -> dict[str, Any]:
    relative, band = relative_tones(surveys)
    inside = (BANDS_HZ >= LOWEST_HZ) & (BANDS_HZ <= HIGHEST_HZ)
    return {
        "hz": BANDS_HZ[inside].round(2).tolist(),
        "songs_db": relative[..., inside].round(2).tolist(),
        "band_db": band[..., inside].round(2).tolist(),
    }


@blueprint.get("/records/<int:record_id>/playable")
@reads("part")
def playable(record_id: int) -> Response:
    """Where the songs begin and end in the record, in frames, and which spans of it are played (from where in what is
    played, from where in the record, how long); or how far the work is that it waits for."""
    here = context()
    record = kept.get_record(here.library, record_id).state
    found = here.mastered.whole([song.id for song in record.songs])
    jobs = [one for one in found if isinstance(one, Job)]
    if jobs:
        problem = next((job.problem for job in jobs if job.problem), None)
        share = 1.0 - sum(1.0 - job.progress for job in jobs) / max(len(record.songs), 1)
        return jsonify(state="failed" if problem else "running", progress=round(share, 3), problem=problem)
    part: Part = "joins" if argument("part") == "joins" else "all"
    laid, source = record_sound(here, record_id, part, equal=False)
    spans = [(0, 0, laid.frames)]
    if isinstance(source, Excerpts):
        spans = [(at, start, end - start) for at, (start, end) in zip(source.starts, laid.joins(), strict=True)]
    return jsonify(
        state="done",
        progress=1.0,
        problem=None,
        rate_hz=laid.rate_hz,
        frames=source.frames,
        starts=laid.starts,
        ends=laid.ends(),
        spans=spans,
    )


def record_sound(
    here: Context, record_id: int, part: Part, equal: bool
) -> tuple[RecordSource, RecordSource | Excerpts]:
    """A record laid out, and what is played of it.

    Args:
        equal: every song at the loudness of the quietest.

    Raises:
        KettleError: some song is not there as a file yet, or is not surveyed where all are to be equal.
    """
    record = kept.get_record(here.library, record_id).state
    found = here.mastered.whole([song.id for song in record.songs])
    if any(isinstance(one, Job) for one in found):
        raise KettleError("the record's songs are still being mastered; play it when they are there")
    files = [here.opened.open(path) for path in found if isinstance(path, Path)]
    gains = _equal_gains(here, record.songs) if equal else [0.0] * len(files)
    songs = [
        (file, song.model_copy(update={"gain_db": song.gain_db + gain_db}))
        for file, song, gain_db in zip(files, record.songs, gains, strict=True)
    ]
    lengths = [max(source.frames for source in song_sources(here.library, song.id).values()) for song in record.songs]
    laid = RecordSource(songs, [max(file.frames - frames, 0) for file, frames in zip(files, lengths, strict=True)])
    source = Excerpts(laid, laid.joins()) if part == "joins" else laid
    return laid, source


def _equal_gains(here: Context, songs: tuple[kept.StoredSong, ...]) -> list[float]:
    """What each song goes down by to be as loud as the quietest."""
    found = [here.surveys.find(song.id) for song in songs]
    if any(isinstance(one, Job) for one in found):
        raise KettleError("the songs are still being surveyed; their loudness is known when they are")
    levels = [
        measures_in_record(survey, song)["integrated_lufs"]
        for survey, song in zip(found, songs, strict=True)
        if isinstance(survey, Survey)
    ]
    gains = match_all({str(place): level for place, level in enumerate(levels)})
    return list(gains.values())
