"""Whole-song work: what is asked for, where it is done, and what became of it."""

from __future__ import annotations

import itertools
import logging
import threading
import time
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from typing import Any, Literal, Protocol

from tin_kettle.core.errors import StorageError

_log = logging.getLogger(__name__)
FIRST_PAUSE_S, LONGEST_PAUSE_S = 0.5, 30.0
State = Literal["waiting", "running", "done", "failed", "stopped"]


@dataclass
class Job:
    """A piece of work.

    Args:
        result: there once it is done.
        problem: why it failed.
        lives: how often it may be begun anew after its process died.
        unwanted: it was asked to stop.
        trouble: why its end cannot be noted yet.
    """

    id: int
    task: dict[str, Any]
    finished: Callable[[Job], None] = field(repr=False)
    state: State = "waiting"
    progress: float = 0.0
    result: dict[str, Any] | None = None
    problem: str | None = None
    lives: int = 1
    unwanted: bool = False
    trouble: str | None = None

    @property
    def ended(self) -> bool:
        return self.state in ("done", "failed", "stopped")


class JobRunner(Protocol):
    """Where jobs are done."""

    def start(self, job: Job) -> None:
        """Begin a job, or let it wait for those before; :func:`end` is called when it is over."""
        ...

    def stop(self, job: Job) -> None:
        """Ask a job to end; it is told as stopped when it has."""
        ...


def end(job: Job, state: State, result: dict[str, Any] | None = None, problem: str | None = None) -> None:
    """Tell what became of a job."""
    job.result, job.problem = result, problem
    # beside the lane: where the disk is full, noting it waits for room, and the next job does not
    threading.Thread(target=_note, args=(job, state), daemon=True).start()


def _note(job: Job, state: State) -> None:
    """Tell that a job ended; again with growing pauses where the disk or the database is in trouble."""
    pause_s = FIRST_PAUSE_S
    while True:
        try:
            job.finished(job)
            break
        except StorageError as trouble:
            _log.warning("job %d could not be noted: %s", job.id, trouble)
            job.trouble = str(trouble)
            time.sleep(pause_s)
            pause_s = min(2.0 * pause_s, LONGEST_PAUSE_S)
        except Exception:  # noqa: BLE001  the work itself is done, and its owner must hear of it
            _log.exception("job %d could not be noted", job.id)
            break
    # told last: whoever sees it ended finds all that it left
    job.trouble, job.state = None, state


class Jobs:
    """Surveys, prints and trials.

    Args:
        lanes: where each of the three is done.
    """

    def __init__(self, runners: Mapping[str, JobRunner]) -> None:
        self._numbers = itertools.count(1)
        self._runners = runners

    def start(self, lane: str, task: dict[str, Any], finished: Callable[[Job], None] = lambda _job: None) -> Job:
        """Begin a task of :mod:`tin_kettle.web.tasks`: its ``do`` where that is not the lane's own name.

        ``finished`` is called from another thread.
        """
        job = Job(next(self._numbers), {"do": lane, **task}, finished)
        self._runners[lane].start(job)
        return job

    def stop(self, lane: str, job: Job) -> None:
        """Ask a job to end."""
        if not job.ended:
            self._runners[lane].stop(job)
