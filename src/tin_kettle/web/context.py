"""What the blueprints share."""

from __future__ import annotations

from dataclasses import dataclass

from flask import current_app

from tin_kettle.core.engine.source import FileSource
from tin_kettle.core.errors import LibraryError
from tin_kettle.core.survey.survey import Survey
from tin_kettle.store.database import Library
from tin_kettle.store.sources import song_sources, source_path
from tin_kettle.web.jobs import Job, Jobs
from tin_kettle.web.mastered_files import MasteredFiles
from tin_kettle.web.open_files import OpenFiles
from tin_kettle.web.rate_conversion import ConvertedFiles
from tin_kettle.web.request_models import whole_number
from tin_kettle.web.running_jobs import RunningJobs
from tin_kettle.web.running_trials import Trials
from tin_kettle.web.surveys import Surveys
from tin_kettle.web.unsaved_edits import UnsavedEdits

FAR = 1 << 40


@dataclass(frozen=True)
class Context:
    """The library, the processes that do whole-song work, and what is under way.

    Args:
        opened: sound files that are listened to.
        converted: sources at other rates.
        surveys: what songs sound like, as far as it is known.
        trials: what is being tried on songs.
        mastered: songs as files, for records to be played from.
        unsaved: edits that were heard and not kept.
        printing, delivering: prints and deliveries under way by their numbers.
    """

    library: Library
    jobs: Jobs
    opened: OpenFiles
    converted: ConvertedFiles
    surveys: Surveys
    trials: Trials
    mastered: MasteredFiles
    unsaved: UnsavedEdits
    printing: RunningJobs
    delivering: RunningJobs


def context() -> Context:
    """Of the present request's app."""
    found = current_app.extensions["tin_kettle"]
    assert isinstance(found, Context)
    return found


def opened_sources(song_id: int) -> dict[str, FileSource]:
    """Bus id → open file of a song."""
    here = context()
    kept = song_sources(here.library, song_id)
    if not kept:
        raise LibraryError(f"there is no song {song_id}; choose one from the list")
    return {bus_id: here.opened.open(source_path(here.library, source)) for bus_id, source in kept.items()}


def look(song_id: int, name: str = "now") -> Survey | Job:
    """The survey of the song as it is now or of what it is compared with, or the work that is going to find it."""
    return context().surveys.find(song_id, name)


def passage(frames: int) -> tuple[int, int]:
    """Frames ``?from=`` … ``?to=`` of the present request's address, inside a song of so many."""
    start = min(max(whole_number("from", 0), 0), frames - 1)
    return start, max(start + 1, min(whole_number("to", FAR), frames))
