"""What whole-song work there is: each task is plain values, and so is what becomes of it."""

from __future__ import annotations

import logging
import tempfile
from collections.abc import Callable, Mapping
from dataclasses import asdict
from pathlib import Path
from typing import Any

from tin_kettle.core.deliver.codec_preview import as_coded
from tin_kettle.core.deliver.gapless import SongParts, make_delivery
from tin_kettle.core.deliver.printing import PrintSettings, print_song
from tin_kettle.core.deliver.spec import parse_spec
from tin_kettle.core.deliver.tags import Heading, read_cover
from tin_kettle.core.engine.source import FileSource, opened
from tin_kettle.core.errors import Cancelled, KettleError
from tin_kettle.core.progress import Progress
from tin_kettle.core.recipe.model import Recipe
from tin_kettle.core.recipe.reading import parse_recipe
from tin_kettle.core.record.document import SongLayout
from tin_kettle.core.survey.level_ladder import ladder
from tin_kettle.core.survey.loudness_gained import won_by
from tin_kettle.core.survey.perceived_loudness import perceive
from tin_kettle.core.survey.survey import survey_song
from tin_kettle.core.survey.target_level import aim_at
from tin_kettle.store.derived import seal
from tin_kettle.store.prints import keep_result
from tin_kettle.store.storage_errors import disk_trouble

_log = logging.getLogger(__name__)
Sources = Mapping[str, FileSource]
Task = dict[str, Any]


def _survey(recipe: Recipe, sources: Sources, task: Task, progress: Progress) -> dict[str, Any]:
    survey_song(recipe, sources, progress).save(Path(task["out"]))
    return {}


def _print(recipe: Recipe, sources: Sources, task: Task, progress: Progress) -> dict[str, Any]:
    out = Path(task["out"])
    printed = print_song(recipe, sources, out, PrintSettings(**task["settings"]), progress)
    result = {"measures": printed.measures, "clipped": printed.clipped}
    keep_result(out, result)
    return result


def _mastered(recipe: Recipe, sources: Sources, task: Task, progress: Progress) -> dict[str, Any]:
    print_song(recipe, sources, Path(task["out"]), PrintSettings(bits="32f", tail_s=None), progress)
    seal(Path(task["out"]))
    return {}


def _deliver(task: Task, progress: Progress) -> dict[str, Any]:
    songs = [
        SongParts(parse_recipe(song["recipe"]), _paths(song["sources"]), SongLayout.model_validate(song["laid"]))
        for song in task["songs"]
    ]
    cover = read_cover(Path(task["cover"])) if task["cover"] else None
    heading = Heading(**task["heading"], cover=cover)
    made, starts = make_delivery(songs, task["number"], Path(task["out"]), parse_spec(task["spec"]), heading, progress)
    return {**made.document(), "starts": starts and asdict(starts)}


def _aim(recipe: Recipe, sources: Sources, task: Task, progress: Progress) -> dict[str, Any]:
    start, end = task["passage"]
    return aim_at(recipe, sources, task["stage"], task["aim"], task["target"], start, end, progress).document()


def _coded(recipe: Recipe, sources: Sources, task: Task, progress: Progress) -> dict[str, Any]:
    out, added = Path(task["out"]), Path(task["added"])
    result = as_coded(recipe, sources, task["coder"], task["kbit_s"], out, added, progress)
    for path in (out, added):
        seal(path)
    return result


def _won(recipe: Recipe, sources: Sources, task: Task, progress: Progress) -> dict[str, Any]:
    return won_by(recipe, sources, task["stage"], progress)


def _perceive(recipe: Recipe, sources: Sources, task: Task, progress: Progress) -> dict[str, Any]:
    start, end = task["passage"]
    return perceive(recipe, sources, start, end, progress)


def _ladder(recipe: Recipe, sources: Sources, task: Task, progress: Progress) -> dict[str, Any]:
    start, end = task["passage"]
    return {"steps": ladder(recipe, sources, task["stage"], start, end, progress)}


def _paths(files: Mapping[str, str]) -> dict[str, Path]:
    return {bus_id: Path(path) for bus_id, path in files.items()}


def _of_song(
    work: Callable[[Recipe, Sources, Task, Progress], dict[str, Any]],
) -> Callable[[Task, Progress], dict[str, Any]]:
    """Work on one song, whose recipe and files the task names."""

    def done(task: Task, progress: Progress) -> dict[str, Any]:
        with opened(_paths(task["sources"])) as sources:
            return work(parse_recipe(task["recipe"]), sources, task, progress)

    return done


TASKS: dict[str, Callable[[Task, Progress], dict[str, Any]]] = {
    "survey": _of_song(_survey),
    "print": _of_song(_print),
    "mastered": _of_song(_mastered),
    "deliver": _deliver,
    "aim": _of_song(_aim),
    "won": _of_song(_won),
    "coded": _of_song(_coded),
    "perceive": _of_song(_perceive),
    "ladder": _of_song(_ladder),
}
"""By what a task says to ``do``; each returns its result as plain values."""


def ending(task: Task, progress: Progress) -> dict[str, Any]:
    """Do a task; its ``state`` at the end, with its ``result`` or its ``problem`` in words.

    ``progress`` may raise :class:`Cancelled` to stop it.
    """
    try:
        progress(0.0)
        return {"state": "done", "result": TASKS[task["do"]](task, progress)}
    except Cancelled:
        return {"state": "stopped"}
    except KettleError as refused:
        problem = str(refused)
    except OSError as trouble:
        problem = disk_trouble(trouble, Path(task.get("out", tempfile.gettempdir())).parent)
    except MemoryError:
        problem = "there is not enough memory; close other programs"
    except Exception as fault:  # noqa: BLE001  it is told with its job, and the next one is done
        _log.exception("a task failed: %s", task["do"])
        problem = f"the program failed ({type(fault).__name__}: {fault})"
    return {"state": "failed", "problem": problem}
