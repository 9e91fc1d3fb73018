"""Songs as they are mastered, as files: what a record is played from. Made in the background, kept by content."""

from __future__ import annotations

import threading
from collections.abc import Iterable
from pathlib import Path

from tin_kettle.core.recipe.model import Recipe
from tin_kettle.core.recipe.reading import dump_recipe
from tin_kettle.store.database import Library
from tin_kettle.store.derived import is_intact
from tin_kettle.store.songs import current_revision, readable_songs
from tin_kettle.store.sources import song_sources, source_files
from tin_kettle.web.jobs import Job, Jobs
from tin_kettle.web.surveys import content_of


class MasteredFiles:
    """One file under way for each song; an edit supersedes it."""

    def __init__(self, library: Library, jobs: Jobs) -> None:
        self._library, self._jobs = library, jobs
        self._lock = threading.Lock()
        self._running: dict[int, tuple[Path, Job]] = {}

    def find(self, song_id: int) -> Path | Job:
        """The song as it stands as a file, begun where there is none; one that failed is told once."""
        recipe = current_revision(self._library, song_id).recipe
        path = _path(self._library, song_id, recipe)
        with self._lock:
            if is_intact(path):
                path.touch()  # those that nobody plays any more are swept first
                return path
            running = self._running.get(song_id)
            if running and running[0] == path and running[1].state in ("waiting", "running", "failed"):
                if running[1].state == "failed":
                    # told once; asked again it is begun anew
                    del self._running[song_id]
                return running[1]
            if running:
                self._jobs.stop("print", running[1])
            files = source_files(self._library, song_sources(self._library, song_id))
            task = {"do": "mastered", "recipe": dump_recipe(recipe), "sources": files, "out": str(path)}
            job = self._jobs.start("print", task)
            self._running[song_id] = (path, job)
            return job

    def whole(self, song_ids: Iterable[int]) -> list[Path] | list[Job]:
        """Every song's file, or the work that is still to be done for some."""
        found = [self.find(song_id) for song_id in song_ids]
        jobs = [one for one in found if isinstance(one, Job)]
        return jobs or [one for one in found if isinstance(one, Path)]


def _path(library: Library, song_id: int, recipe: Recipe) -> Path:
    return library.folder("mastered") / f"{content_of(recipe, song_sources(library, song_id))}.wav"


def mastered_to_keep(library: Library) -> set[str]:
    """Under which names the files of all songs as they stand lie."""
    return {_path(library, song.id, revision.recipe).stem for song, revision in readable_songs(library)}
