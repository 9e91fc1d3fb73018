"""Records: the list, one with all that its view shows, its edits, what is heard of it."""

from __future__ import annotations

import math
from dataclasses import asdict
from pathlib import Path
from typing import Any, Literal

import numpy as np
from flask import Blueprint, Response, jsonify, request

from tin_kettle.core.engine.source import Source
from tin_kettle.core.errors import KettleError
from tin_kettle.core.listen.match import match_all
from tin_kettle.core.measure.loudness import SHORT_TERM_SLOTS, running_lufs, stereo_energy
from tin_kettle.core.measure.tonal import BANDS_HZ
from tin_kettle.core.record.document import SongLaid
from tin_kettle.core.record.laid_out import Excerpts, RecordSource, left_of, sounding_s
from tin_kettle.core.record.standing_out import HIGHEST_HZ, LOWEST_HZ, level_in_record, relative_tones, standing_out
from tin_kettle.core.survey.survey import Survey, columns
from tin_kettle.store import records as kept
from tin_kettle.store.records import RecordNow
from tin_kettle.store.songs import current_revision
from tin_kettle.store.sources import song_sources
from tin_kettle.web.asked import Asked, Number, asked, whole_number
from tin_kettle.web.context import Context, context
from tin_kettle.web.jobs import Job
from tin_kettle.web.surveys import SLOT_S, look, waiting, wave

blueprint = Blueprint("records", __name__, url_prefix="/api")
MOST_COLUMNS = 2000
Part = Literal["all", "joins"]


class RecordAsked(Asked):
    title: str
    artist: str = ""


class EditAsked(Asked):
    """``base`` is the edit that it was made on."""

    base: Number
    label: str = "edit"
    state: Any


class MarkAsked(Asked):
    on: bool


class MoveAsked(Asked):
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
def add() -> Response:
    given = asked(RecordAsked)
    return jsonify(id=kept.add_record(context().library, given.title, given.artist))


@blueprint.get("/records/<int:record_id>")
def one(record_id: int) -> Response:
    return jsonify(_shown(kept.get_record(context().library, record_id)))


@blueprint.put("/records/<int:record_id>")
def edit(record_id: int) -> Response:
    """Keep an edit: names and numbers, order, levels, gaps, fades."""
    given = asked(EditAsked)
    return jsonify(_shown(kept.change_record(context().library, record_id, given.base, given.label[:200], given.state)))


@blueprint.post("/records/<int:record_id>/undo")
def undo(record_id: int) -> Response:
    return jsonify(_shown(kept.step_record(context().library, record_id, back=True)))


@blueprint.post("/records/<int:record_id>/redo")
def redo(record_id: int) -> Response:
    return jsonify(_shown(kept.step_record(context().library, record_id, back=False)))


@blueprint.post("/records/<int:record_id>/archived")
def archive(record_id: int) -> Response:
    kept.archive_record(context().library, record_id, asked(MarkAsked).on)
    return every()


@blueprint.post("/records/<int:record_id>/deleted")
def delete(record_id: int) -> Response:
    kept.delete_record(context().library, record_id, asked(MarkAsked).on)
    return every()


@blueprint.post("/songs/<int:song_id>/record")
def move(song_id: int) -> Response:
    """Put a song at the end of another record."""
    kept.move_song(context().library, song_id, asked(MoveAsked).record)
    return every()


# ---- what is heard and measured of it


@blueprint.get("/records/<int:record_id>/heard")
def heard(record_id: int) -> Response:
    """Waveform, loudness and figures of every song that is surveyed; tone and what stands out when all are."""
    record = kept.get_record(context().library, record_id).state
    count = min(max(whole_number("columns", 400), 1), MOST_COLUMNS)
    found = {song.id: look(song.id) for song in record.songs}
    surveyed = [(survey, song) for song in record.songs if isinstance(survey := found[song.id], Survey)]
    told: dict[str, Any] = {
        "work": waiting(*found.values()) if found else None,
        "songs": {song.id: _song(survey, song, count) for survey, song in surveyed},
        "chains": {song.id: _chain(song.id) for song in record.songs},
        "papers": False,
        "tone": None,
        "stands_out": [],
    }
    if surveyed and len(surveyed) == len(found):
        # the papers tell both
        told["papers"] = waiting(*(look(song.id, "received") for song in record.songs)) is None
        pairs: list[tuple[Survey, SongLaid]] = list(surveyed)
        told["tone"] = _tone([survey for survey, _ in pairs])
        told["stands_out"] = [asdict(one) for one in standing_out(pairs)]
    return jsonify(told)


def _song(survey: Survey, laid: SongLaid, count: int) -> dict[str, Any]:
    start, end = left_of(laid, survey.frames, survey.rate_hz)
    running = running_lufs(stereo_energy(survey.slots), SHORT_TERM_SLOTS) + laid.gain_db
    short = columns(running, survey.rate_hz * SLOT_S, start, end, count, np.maximum)
    measures = survey.measures
    shifted = {
        name: None if measures[name] is None else round(measures[name] + laid.gain_db, 2)
        for name in ("max_short_term_lufs", "max_momentary_lufs", "true_peak_dbtp")
    }
    level = level_in_record(survey, laid)
    return {
        "wave": wave(survey, start, end, count),
        "short_term_lufs": [None if value < -70 else round(float(value), 1) for value in short],
        "sounds_s": [round(at, 2) for at in sounding_s(stereo_energy(survey.slots))],
        "seconds": (end - start) / survey.rate_hz,
        "integrated_lufs": None if level is None else round(level, 2),
        "loudness_range_lu": measures["loudness_range_lu"],
        **shifted,
    }


def _chain(song_id: int) -> list[dict[str, str]]:
    """The song's stages in words, from its buses to the master."""
    recipe = current_revision(context().library, song_id).recipe
    return [
        {"kind": stage.kind, "title": stage.declared.title, "summary": stage.declared.summary(stage.params)}
        for stage in recipe.stages()
        if stage.on
    ]


def _tone(surveys: list[Survey]) -> dict[str, Any]:
    relative, band = relative_tones(surveys)
    inside = (BANDS_HZ >= LOWEST_HZ) & (BANDS_HZ <= HIGHEST_HZ)
    return {
        "hz": BANDS_HZ[inside].round(2).tolist(),
        "songs_db": relative[..., inside].round(2).tolist(),
        "band_db": band[..., inside].round(2).tolist(),
    }


@blueprint.get("/records/<int:record_id>/playable")
def playable(record_id: int) -> Response:
    """Where the songs begin and end in the record, in frames, and which spans of it are played (from where in what is
    played, from where in the record, how long); or how far the work is that it waits for."""
    here = context()
    record = kept.get_record(here.library, record_id).state
    found = here.mastered.whole(here, [song.id for song in record.songs])
    jobs = [one for one in found if isinstance(one, Job)]
    if jobs:
        problem = next((job.problem for job in jobs if job.problem), None)
        share = 1.0 - sum(1.0 - job.progress for job in jobs) / max(len(record.songs), 1)
        return jsonify(state="failed" if problem else "running", progress=round(share, 3), problem=problem)
    part: Part = "joins" if request.args.get("part") == "joins" else "all"
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
        equal: every song at the loudness of the quietest, as far as surveys know it.

    Raises:
        KettleError: some song is not there as a file yet.
    """
    record = kept.get_record(here.library, record_id).state
    found = here.mastered.whole(here, [song.id for song in record.songs])
    if any(isinstance(one, Job) for one in found):
        raise KettleError("the record's songs are still being mastered; play it when they are there")
    songs: list[tuple[Source, SongLaid]] = []
    gains = _equal_gains(here, record.songs) if equal else {}
    for path, song in zip((one for one in found if isinstance(one, Path)), record.songs, strict=True):
        gain_db = song.gain_db + gains.get(str(song.id), 0.0)
        songs.append((here.opened.open(path), song.model_copy(update={"gain_db": gain_db})))
    laid = RecordSource(songs)
    source = Excerpts(laid, laid.joins()) if part == "joins" else laid
    return laid, source


def _equal_gains(here: Context, songs: tuple[kept.KeptSong, ...]) -> dict[str, float]:
    found = {song.id: here.surveys.find(here, song.id) for song in songs}
    levels = {
        str(song.id): level_in_record(survey, song) if isinstance(survey := found[song.id], Survey) else None
        for song in songs
    }
    return match_all({name: level for name, level in levels.items() if level is not None and math.isfinite(level)})
