"""Surveys of what the songs sound like: run in the background, kept by content."""

from __future__ import annotations

import contextlib
import hashlib
import json
import threading
import zipfile
import zlib
from collections import OrderedDict
from collections.abc import Mapping
from pathlib import Path
from typing import Any

import numpy as np

from tin_kettle.core.engine.graph.meters import METER_HOP, strongest
from tin_kettle.core.measure import loudness
from tin_kettle.core.measure.tonal_map import BANDS_HZ
from tin_kettle.core.recipe.automation import automation_of
from tin_kettle.core.recipe.model import Recipe
from tin_kettle.core.recipe.reading import dump_recipe
from tin_kettle.core.survey.beats import find_grid
from tin_kettle.core.survey.before_after import describe_passage
from tin_kettle.core.survey.finding import Finding
from tin_kettle.core.survey.findings import find
from tin_kettle.core.survey.sections import propose_sections
from tin_kettle.core.survey.survey import PEAK_HOP, Survey, columns
from tin_kettle.store.comparisons import dismissed, list_versions
from tin_kettle.store.database import Library
from tin_kettle.store.songs import current_revision, readable_songs
from tin_kettle.store.sources import StoredSource, source_files
from tin_kettle.web.comparison_sources import ComparisonSource, find_other
from tin_kettle.web.jobs import Job, Jobs

MEANING = 7
"""Raised when the same recipe and sources would be surveyed otherwise."""
KEPT_IN_MEMORY = 16
SLOT_S = 0.01


class Surveys:
    """One survey under way for each thing that is looked at; an edit supersedes it. Done ones are kept by content."""

    def __init__(self, library: Library, jobs: Jobs) -> None:
        self._library, self._jobs = library, jobs
        self._lock = threading.Lock()
        self._running: dict[tuple[int, str], tuple[str, Job]] = {}
        self._loaded: OrderedDict[Path, Survey] = OrderedDict()

    def find(self, song_id: int, name: str = "now") -> Survey | Job:
        """The survey of the song as it is now or of what it is compared with, begun where there is none."""
        library = self._library
        other = find_other(library, song_id, name, current_revision(library, song_id).recipe)
        recipe, key = dump_recipe(other.recipe), _content(other)
        path = library.folder("surveys") / f"{key}.npz"
        with self._lock:
            if path in self._loaded:
                self._loaded.move_to_end(path)
                return self._loaded[path]
            known = self._load(path)
            if known is not None:
                return known
            running = self._running.get((song_id, name))
            if running and running[0] == key and running[1].state not in ("stopped", "done"):
                return running[1]
            if running:
                self._jobs.stop("survey", running[1])
            if name == "now":
                self._clear_the_way(song_id)
            files = source_files(library, other.sources)
            job = self._jobs.start("survey", {"recipe": recipe, "sources": files, "out": str(path)})
            self._running[song_id, name] = (key, job)
            return job

    def _clear_the_way(self, song_id: int) -> None:
        """What now is compared with may wait: it is asked for again when the song itself was surveyed."""
        for (song, name), (_, job) in self._running.items():
            if song == song_id and name not in ("now", "received"):
                self._jobs.stop("survey", job)

    def _load(self, path: Path) -> Survey | None:
        """What was kept, if it is there and whole; a damaged one is made again."""
        try:
            self._loaded[path] = Survey.load(path)
            path.touch()  # those that nobody looks at any more are swept first
        except FileNotFoundError:
            return None
        except (OSError, ValueError, KeyError, EOFError, zipfile.BadZipFile, zlib.error):
            with contextlib.suppress(OSError):
                path.unlink(missing_ok=True)
            return None
        if len(self._loaded) > KEPT_IN_MEMORY:
            self._loaded.popitem(last=False)
        return self._loaded[path]

    def try_again(self, song_id: int) -> None:
        """Forget what failed: it is begun anew when it is looked for."""
        with self._lock:
            for key in [key for key, (_, job) in self._running.items() if key[0] == song_id and job.state == "failed"]:
                del self._running[key]

    def stop(self, song_id: int) -> None:
        """Stop what is under way for a song."""
        with self._lock:
            for (song, _), (_, job) in self._running.items():
                if song == song_id:
                    self._jobs.stop("survey", job)


def names_to_keep(library: Library) -> set[str]:
    """Under which names the surveys of all songs as they are, and of their versions, lie."""
    names = set()
    for song, revision in readable_songs(library):
        now = revision.recipe
        others = ["now", "received", *(f"version:{version.id}" for version in list_versions(library, song.id))]
        names |= {_content(find_other(library, song.id, other, now)) for other in others}
    return names


def _content(other: ComparisonSource) -> str:
    """A name for all that is heard; names change nothing in the sound, and sections only what moves with them."""
    return content_of(other.recipe, other.sources)


def content_of(recipe: Recipe, sources: Mapping[str, StoredSource], *asked: object) -> str:
    """The same for a recipe on sources, and what else is asked of them; by what moves, not by what it hangs on."""
    document = dump_recipe(recipe)
    heard = {key: value for key, value in document.items() if key not in ("sections", "automation")}
    heard["moves"] = automation_of(recipe).fingerprint()
    for bus in (*heard["buses"], *heard["groups"]):
        del bus["name"]
    hashes = {bus_id: source.sha256 for bus_id, source in sources.items()}
    return hashlib.sha256(json.dumps([MEANING, hashes, heard, *asked], sort_keys=True).encode()).hexdigest()


def overview(found: Survey, start: int, end: int, count: int) -> dict[str, Any]:
    """What the song map shows between two frames, in columns."""
    hop = found.rate_hz * SLOT_S
    width = max((end - start) / count, 1.0)
    efforts = found.efforts()
    momentary = loudness.running_lufs(loudness.stereo_energy(found.slots))

    def lowest(row: np.ndarray) -> list[float | None]:
        return [None if v < -90 else round(v, 2) for v in columns(row, hop, start, end, count, np.maximum).tolist()]

    return {
        "mastered": wave(found, start, end, count),
        "effort": {name: _strip(row, start, end, count) for name, row in efforts.items()},
        "hardest": {name: dict(zip(("db", "at_s"), found.hardest(name), strict=True)) for name in efforts},
        "momentary_lufs": lowest(momentary),
        "peaks": columns(found.peaks, PEAK_HOP, start, end, count, np.maximum).round(4).tolist(),
        "correlation": _correlations(found.slots, hop, start, end, count, width),
        "low_correlation": _correlations(found.low, hop, start, end, count, width),
    }


def _strip(row: np.ndarray, start: int, end: int, count: int) -> list[float]:
    extremes = (columns(row, METER_HOP, start, end, count, extreme) for extreme in (np.minimum, np.maximum))
    return strongest(*extremes).round(2).tolist()  # type: ignore[no-any-return]


def wave(found: Survey, start: int, end: int, count: int) -> list[list[float]]:
    """Lowest and highest samples in columns."""
    return found.waveform.columns(start, end, count).round(4).astype(float).tolist()  # type: ignore[no-any-return]


def _correlations(slots: np.ndarray, hop: float, start: int, end: int, count: int, width: float) -> list[float | None]:
    """Correlation of each column, over at least 0.3 s about it."""
    total = np.concatenate([np.zeros((1, 3)), np.cumsum(slots, axis=0)])
    reach = max(width / hop, 30.0) / 2.0
    middle = (start + width * (np.arange(count) + 0.5)) / hop
    low = np.clip((middle - reach).astype(np.intp), 0, len(slots))
    high = np.clip((middle + reach).astype(np.intp) + 1, 0, len(slots))
    ll, rr, lr = (total[high] - total[low]).T
    both = np.sqrt(ll * rr)
    return [round(float(v / b), 3) if b > 1e-12 else None for v, b in zip(lr, both, strict=True)]


def findings(library: Library, song_id: int, now: Survey, received: Survey) -> tuple[list[Finding], int]:
    """What is to be shown, and how many were dismissed."""
    found = find(now, received, current_revision(library, song_id).recipe)
    hidden = dismissed(library, song_id)
    shown = [finding for finding in found if finding.id not in hidden]
    return shown, len(found) - len(shown)


def panel(found: Survey, start: int, end: int) -> dict[str, Any]:
    """Figures and spectra of a passage."""
    return describe_passage(found, start, end)


def spread(found: Survey, start: int, end: int) -> dict[str, Any]:
    """Between which levels mid and side lie for most of a passage."""
    low, high = found.tonal.spread_db(start / found.rate_hz, end / found.rate_hz)
    return {"hz": BANDS_HZ.round(2).tolist(), "low_db": low.round(2).tolist(), "high_db": high.round(2).tolist()}


def sections(found: Survey) -> list[dict[str, Any]]:
    """Proposed sections, ready for a recipe."""
    return [
        {"id": f"part-{n}", "name": f"Part {n}", "start_s": round(start, 3), "end_s": round(end, 3)}
        for n, (start, end) in enumerate(propose_sections(found), 1)
    ]


def grid(found: Survey) -> dict[str, Any] | None:
    """Tempo and bars, where the song keeps them."""
    told = find_grid(found)
    return told.document() if told else None


def waiting(*found: Survey | Job) -> dict[str, Any] | None:
    """How far the work is, where any of it is not done."""
    jobs = [one for one in found if isinstance(one, Job)]
    if not jobs:
        return None
    done = (sum(job.progress for job in jobs) + len(found) - len(jobs)) / len(found)
    problem = next((job.problem for job in jobs if job.problem), None)
    # one that ended since it was looked up is there the next time
    state = "running" if jobs[0].state == "done" else jobs[0].state
    return {"state": state, "progress": round(done, 4), "problem": problem}
