"""What listeners were heard to edit and nobody kept: a browser that is gone in the middle of a drag loses nothing."""

from __future__ import annotations

import threading
import time
from typing import Any

from tin_kettle.core.recipe.model import Recipe
from tin_kettle.core.recipe.reading import dump_recipe
from tin_kettle.store.database import Library
from tin_kettle.store.history import was_kept


class UnsavedEdits:
    """Of every song the last edit that was heard and, when its listener was gone, not kept."""

    def __init__(self) -> None:
        self._lock = threading.Lock()
        self._songs: dict[int, tuple[str, Recipe, int]] = {}

    def leave(self, song_id: int, label: str, recipe: Recipe) -> None:
        """Somebody left in the middle of an edit that is called ``label``."""
        with self._lock:
            self._songs[song_id] = label, recipe, round(1000.0 * time.time())

    def found(self, library: Library, song_id: int) -> dict[str, Any] | None:
        """What is left of a song, with its time in ms since 1970; nothing where the song was ever in that state."""
        with self._lock:
            left = self._songs.get(song_id)
        if left is None:
            return None
        label, recipe, at_ms = left
        if was_kept(library, song_id, recipe):
            self.forget(song_id)
            return None
        return {"song": song_id, "label": label, "recipe": dump_recipe(recipe), "at": at_ms}

    def forget(self, song_id: int) -> None:
        """It is taken up, or given up."""
        with self._lock:
            self._songs.pop(song_id, None)
