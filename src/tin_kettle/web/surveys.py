"""Surveys of what the songs sound like now: run in the background, kept by content."""

from __future__ import annotations

import hashlib
import json
import threading
from collections import OrderedDict
from pathlib import Path
from typing import Any

from tin_kettle.core.recipe.reading import dump_recipe
from tin_kettle.core.survey.survey import Survey
from tin_kettle.store.songs import current_revision
from tin_kettle.store.sources import song_sources, source_path
from tin_kettle.web.context import Context
from tin_kettle.web.jobs import Job

MEANING = 1
"""Raised when the same recipe and sources would be surveyed otherwise."""
KEPT_IN_MEMORY = 8


class Surveys:
    """One survey under way a song; an edit supersedes it. Finished ones are files named after what they are of."""

    def __init__(self) -> None:
        self._lock = threading.Lock()
        self._running: dict[int, tuple[str, Job]] = {}
        self._loaded: OrderedDict[Path, Survey] = OrderedDict()

    def _find(self, context: Context, song_id: int) -> Survey | Job:
        library = context.library
        sources = song_sources(library, song_id)
        recipe = dump_recipe(current_revision(library, song_id).recipe)
        hashes = {bus_id: source.sha256 for bus_id, source in sources.items()}
        # sections and names change nothing in the sound
        heard = {key: value for key, value in recipe.items() if key != "sections"}
        name = hashlib.sha256(json.dumps([MEANING, hashes, heard], sort_keys=True).encode()).hexdigest()
        path = library.folder("surveys") / f"{name}.npz"
        with self._lock:
            if path in self._loaded:
                self._loaded.move_to_end(path)
                return self._loaded[path]
            if path.is_file():
                return self._load(path)
            running = self._running.get(song_id)
            if running and running[0] == name and running[1].state not in ("stopped", "done"):
                return running[1]
            if running:
                context.jobs.stop("survey", running[1])
            files = {bus_id: str(source_path(library, source)) for bus_id, source in sources.items()}
            task = {"recipe": recipe, "sources": files, "out": str(path)}
            job = context.jobs.start("survey", task)
            self._running[song_id] = (name, job)
            return job

    def _load(self, path: Path) -> Survey:
        self._loaded[path] = Survey.load(path)
        if len(self._loaded) > KEPT_IN_MEMORY:
            self._loaded.popitem(last=False)
        return self._loaded[path]

    def overview(self, context: Context, song_id: int, columns: int) -> dict[str, Any]:
        """What the song map shows, or how far the work is."""
        found = self._find(context, song_id)
        if isinstance(found, Job):
            return {"state": found.state, "progress": found.progress, "problem": found.problem}
        hardest = {name: found.hardest(name) for name in found.stages}
        return {
            "state": "done",
            "progress": 1.0,
            "mastered": found.mastered.columns(0, found.frames, columns).round(4).astype(float).tolist(),
            "effort": {name: found.series(name, 0, found.frames, columns)["effort_db"] for name in found.stages},
            "hardest": {name: {"db": db, "at_s": at_s} for name, (db, at_s) in hardest.items()},
            "measures": found.measures,
        }

    def match(self, context: Context, song_id: int, start: int, end: int) -> dict[str, Any] | None:
        """Gains for a passage, once there is a survey."""
        found = self._find(context, song_id)
        if isinstance(found, Job):
            return None
        return found.match(max(start, 0), min(end, found.frames)).document()

    def series(
        self, context: Context, song_id: int, stage_id: str, start: int, end: int, columns: int
    ) -> dict[str, Any] | None:
        """A stage's levels and effort, once there is a survey."""
        found = self._find(context, song_id)
        if isinstance(found, Job) or stage_id not in found.stages:
            return None
        return found.series(stage_id, max(start, 0), min(end, found.frames), columns)
