"""The worker process: one JSON object a line in, progress and results out."""

from __future__ import annotations

import json
import logging
import os
import queue
import sys
import tempfile
import threading
import time
from collections.abc import Callable, Mapping
from dataclasses import asdict
from pathlib import Path
from typing import Any

from tin_kettle.core.deliver.coding import as_coded
from tin_kettle.core.deliver.joined import SongParts, make_delivery
from tin_kettle.core.deliver.printing import PrintSettings, print_song
from tin_kettle.core.deliver.spec import parse_spec
from tin_kettle.core.deliver.tags import Heading, read_cover
from tin_kettle.core.engine.offline import Progress
from tin_kettle.core.engine.source import FileSource, opened
from tin_kettle.core.errors import Cancelled, KettleError
from tin_kettle.core.recipe.model import Recipe
from tin_kettle.core.recipe.reading import parse_recipe
from tin_kettle.core.record.document import SongLaid
from tin_kettle.core.survey.aim import aim_at
from tin_kettle.core.survey.ladder import ladder
from tin_kettle.core.survey.perceiving import perceive
from tin_kettle.core.survey.survey import survey_song
from tin_kettle.core.survey.winning import won_by
from tin_kettle.store.prints import keep_result
from tin_kettle.store.trouble import disk_trouble

_log = logging.getLogger(__name__)
NICENESS = 15
REPORT_S = 0.1
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
    print_song(recipe, sources, Path(task["out"]), PrintSettings(bits="32f"), progress)
    return {}


def _deliver(task: Task, progress: Progress) -> dict[str, Any]:
    songs = [
        SongParts(parse_recipe(song["recipe"]), _paths(song["sources"]), SongLaid.model_validate(song["laid"]))
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
    return as_coded(recipe, sources, task["coder"], task["kbit_s"], out, added, progress)


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
"""What a lane is given to do; each returns its result as plain values."""


class _Worker:
    def __init__(self) -> None:
        self._tasks: queue.Queue[dict[str, Any] | None] = queue.Queue()
        self._stopped: set[int] = set()

    def listen(self) -> None:
        """Read what is asked until the server is gone."""
        for line in sys.stdin:
            message = json.loads(line)
            if "stop" in message:
                self._stopped.add(message["stop"])
            else:
                self._tasks.put(message)
        # without a server nobody waits for the work under way
        os._exit(0)

    def work(self) -> None:
        while True:
            task = self._tasks.get()
            if task is not None:
                self._do(task)

    def _do(self, task: dict[str, Any]) -> None:
        number: int = task["id"]
        last = 0.0

        def progress(share: float) -> None:
            nonlocal last
            if number in self._stopped:
                raise Cancelled("stopped")
            if time.monotonic() - last > REPORT_S:
                last = time.monotonic()
                _say({"id": number, "progress": round(share, 4)})

        try:
            progress(0.0)
            result = TASKS[task["do"]](task, progress)
            _say({"id": number, "state": "done", "result": result})
        except Cancelled:
            _say({"id": number, "state": "stopped"})
        except KettleError as refused:
            _say({"id": number, "state": "failed", "problem": str(refused)})
        except OSError as problem:
            _say(
                {
                    "id": number,
                    "state": "failed",
                    "problem": disk_trouble(problem, Path(task.get("out", tempfile.gettempdir())).parent),
                }
            )
        except MemoryError:
            _say({"id": number, "state": "failed", "problem": "there is not enough memory; close other programs"})
        except Exception as fault:  # noqa: BLE001  it is told with its job, and the next one is done
            _log.exception("job %d", number)
            _say({"id": number, "state": "failed", "problem": f"the program failed ({type(fault).__name__}: {fault})"})


def _say(message: dict[str, Any]) -> None:
    try:
        sys.stdout.write(json.dumps(message) + "\n")
        sys.stdout.flush()
    except BrokenPipeError:
        os._exit(0)  # the server is gone


if __name__ == "__main__":
    os.nice(NICENESS)
    worker = _Worker()
    threading.Thread(target=worker.listen, daemon=True).start()
    worker.work()
