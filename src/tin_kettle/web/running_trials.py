"""Trials under way and done: values that are found by trying them on a song, in the background."""

from __future__ import annotations

import threading
from collections import OrderedDict
from collections.abc import Mapping
from typing import Any

from tin_kettle.core.recipe.model import Recipe
from tin_kettle.core.recipe.reading import dump_recipe
from tin_kettle.store.database import Library
from tin_kettle.store.sources import StoredSource, source_files
from tin_kettle.web.jobs import Job, Jobs
from tin_kettle.web.surveys import content_of

MOST_KEPT = 60


class Trials:
    """Trials under way and done, by content; of each kind a stage's newest supersedes the one before."""

    def __init__(self, library: Library, jobs: Jobs) -> None:
        self._library, self._work = library, jobs
        self._lock = threading.Lock()
        self._jobs: OrderedDict[str, Job] = OrderedDict()
        self._newest: dict[tuple[int, str, str], Job] = {}

    def find(self, song_id: int, key: str, task: dict[str, Any], sources: Mapping[str, StoredSource]) -> Job:
        """The job that has this content, begun where there is none, or where it was stopped."""
        of_stage = (song_id, task["stage"], task["do"])
        with self._lock:
            job = self._jobs.get(key)
            if job is None or job.state == "stopped" or job.unwanted:
                for (song, stage, do), before in self._newest.items():
                    # what is waited for comes before what fills a picture, which asks again
                    if (song, stage, do) == of_stage or (task["do"] == "aim" and do != "aim"):
                        self._work.stop("trial", before)
                files = source_files(self._library, sources)
                job = self._jobs[key] = self._work.start("trial", {**task, "sources": files})
            self._newest[of_stage] = job
            self._jobs.move_to_end(key)
            while len(self._jobs) > MOST_KEPT:
                self._jobs.popitem(last=False)
            return job

    def report(
        self, song_id: int, recipe: Recipe, task: dict[str, Any], sources: Mapping[str, StoredSource]
    ) -> dict[str, Any]:
        """How far a trial of a recipe on sources is, or what it found; what failed is told once, and begun anew then.

        Args:
            task: what it is, without the recipe; of each ``do`` and ``stage`` the newest is wanted.
        """
        key = content_of(recipe, sources, task)
        job = self.find(song_id, key, {**task, "recipe": dump_recipe(recipe)}, sources)
        if job.state == "failed":
            with self._lock:
                self._jobs.pop(key, None)
        return {"state": job.state, "progress": round(job.progress, 4), "problem": job.problem, "found": job.result}
