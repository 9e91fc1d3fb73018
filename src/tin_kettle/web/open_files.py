"""Sound files that are open: one handle a file, whoever listens to it, closed when nobody does."""

from __future__ import annotations

import threading
import weakref
from pathlib import Path

from tin_kettle.core.engine.source import FileSource


class OpenFiles:
    """Hands out the same source for the same file, as long as anybody has it and no other file takes its place."""

    def __init__(self) -> None:
        self._lock = threading.Lock()
        self._sources: weakref.WeakValueDictionary[tuple[Path, int], FileSource] = weakref.WeakValueDictionary()

    def open(self, path: Path) -> FileSource:
        """A source that closes with its last user, who does not close it.

        Raises:
            AudioError: it cannot be read.
        """
        with self._lock:
            file = path, path.stat().st_ino if path.exists() else 0
            found = self._sources.get(file)
            if found is None:
                found = self._sources[file] = FileSource(path)
            return found

    def __len__(self) -> int:
        return len(self._sources)
