"""Values that are found by trying them on the song, in the background: the gain that reaches a loudness, what a push
wins."""

from __future__ import annotations

import threading
from collections import OrderedDict
from collections.abc import Mapping
from typing import Any

from flask import Blueprint, Response, jsonify
from pydantic import Field

from tin_kettle.core.recipe.extract import up_to
from tin_kettle.core.recipe.model import Recipe
from tin_kettle.core.recipe.reading import dump_recipe
from tin_kettle.core.survey.loudness_gained import pushes_db
from tin_kettle.core.survey.perceived_loudness import difference_words
from tin_kettle.core.survey.target_level import Aim
from tin_kettle.core.survey.trials import asked_stage, with_value
from tin_kettle.store.songs import current_revision
from tin_kettle.store.sources import StoredSource, song_sources, source_files
from tin_kettle.web.comparison_sources import find_other
from tin_kettle.web.context import Context, context, opened_sources, passage
from tin_kettle.web.jobs import Job
from tin_kettle.web.request_models import RequestModel, argument, reads, takes
from tin_kettle.web.surveys import content_of

blueprint = Blueprint("trying", __name__, url_prefix="/api")
MOST_KEPT = 60


class Trials:
    """Trials under way and done, by content; of each kind a stage's newest supersedes the one before."""

    def __init__(self) -> None:
        self._lock = threading.Lock()
        self._jobs: OrderedDict[str, Job] = OrderedDict()
        self._newest: dict[tuple[int, str, str], Job] = {}

    def find(
        self, here: Context, song_id: int, key: str, task: dict[str, Any], sources: Mapping[str, StoredSource]
    ) -> Job:
        """The job that has this content, begun where there is none, or where it was stopped."""
        of_stage = (song_id, task["stage"], task["do"])
        with self._lock:
            job = self._jobs.get(key)
            if job is None or job.state == "stopped" or job.unwanted:
                for (song, stage, do), before in self._newest.items():
                    # what is waited for comes before what fills a picture, which asks again
                    if (song, stage, do) == of_stage or (task["do"] == "aim" and do != "aim"):
                        here.jobs.stop("trial", before)
                files = source_files(here.library, sources)
                job = self._jobs[key] = here.jobs.start("trial", {**task, "sources": files})
            self._newest[of_stage] = job
            self._jobs.move_to_end(key)
            while len(self._jobs) > MOST_KEPT:
                self._jobs.popitem(last=False)
            return job

    def tell(
        self, here: Context, song_id: int, recipe: Recipe, task: dict[str, Any], sources: Mapping[str, StoredSource]
    ) -> dict[str, Any]:
        """How far a trial of a recipe on sources is, or what it found; what failed is told once, and begun anew then.

        Args:
            task: what it is, without the recipe; of each ``do`` and ``stage`` the newest is wanted.
        """
        key = content_of(recipe, sources, task)
        job = self.find(here, song_id, key, {**task, "recipe": dump_recipe(recipe)}, sources)
        if job.state == "failed":
            with self._lock:
                self._jobs.pop(key, None)
        return {"state": job.state, "progress": round(job.progress, 4), "problem": job.problem, "found": job.result}


class LevelRequest(RequestModel):
    """``target`` in LUFS or dBTP, as ``aim`` is."""

    aim: Aim
    target: float = Field(ge=-60, le=0)


@blueprint.post("/songs/<int:song_id>/stages/<stage_id>/aim")
@takes(LevelRequest)
@reads("from", "to")
def aim(song_id: int, stage_id: str, given: LevelRequest) -> Response:
    """The gain of a stage at which the passage measures a target: its progress, or what was found."""
    recipe = current_revision(context().library, song_id).recipe
    asked_stage(recipe, stage_id)
    span = passage(max(source.frames for source in opened_sources(song_id).values()))
    return _told(song_id, recipe, {"do": "aim", "stage": stage_id, "passage": span, **given.model_dump()})


@blueprint.get("/songs/<int:song_id>/stages/<stage_id>/won")
def won(song_id: int, stage_id: str) -> Response:
    """Loudness won for each dB of push, over the song: its progress, or the steps."""
    recipe = current_revision(context().library, song_id).recipe
    stage = asked_stage(recipe, stage_id)
    pushes = stage.declared.pushes
    # where it stands now, and what stands behind it, change nothing of what is tried
    heard = up_to(recipe, stage_id, on=True)
    if pushes is not None:
        heard = with_value(heard, stage_id, pushes, pushes_db(getattr(stage.params, pushes))[-1])
    return _told(song_id, heard, {"do": "won", "stage": stage_id})


@blueprint.get("/songs/<int:song_id>/ladder/<lane>")
@reads("from", "to")
def levels(song_id: int, lane: str) -> Response:
    """How loud a passage is between the stages of a chain, ``*master`` or a bus's: its progress, or the steps."""
    recipe = current_revision(context().library, song_id).recipe
    span = passage(max(source.frames for source in opened_sources(song_id).values()))
    return _told(song_id, recipe, {"do": "ladder", "stage": lane, "passage": span})


@blueprint.get("/songs/<int:song_id>/perceived")
@reads("from", "to", "other")
def perceived(song_id: int) -> Response:
    """How loud a passage of the song and of ``?other=`` is to the ear, and what differs: progress, or both."""
    here = context()
    recipe = current_revision(here.library, song_id).recipe
    told = []
    for name in ("now", argument("other", "received")):
        other = find_other(here.library, song_id, name, recipe)
        frames = max(source.frames for source in other.sources.values())
        span = (other.reference.start_frame, other.reference.end_frame) if other.reference else passage(frames)
        task = {"do": "perceive", "stage": name, "passage": span}
        told.append(here.trials.tell(here, song_id, other.recipe, task, other.sources))
    after, before = told
    if not all(one["found"] for one in told):
        problem = next((one["problem"] for one in told if one["problem"]), None)
        share = sum(1.0 if one["found"] else one["progress"] for one in told) / 2
        return jsonify(state="failed" if problem else "running", progress=round(share, 3), problem=problem)
    words = difference_words(before["found"], after["found"])
    return jsonify(state="done", before=before["found"], after=after["found"], words=words)


def _told(song_id: int, recipe: Recipe, task: dict[str, Any]) -> Response:
    here = context()
    return jsonify(here.trials.tell(here, song_id, recipe, task, song_sources(here.library, song_id)))
