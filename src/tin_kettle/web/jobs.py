"""Whole-song work in processes of their own, at low priority: it never shares a lock with the ear."""

from __future__ import annotations

import contextlib
import itertools
import json
import logging
import subprocess
import sys
import threading
import time
from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any, Literal

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


class Lane:
    """One worker process that does one job after the other; it is started with the first.

    Jobs belong to the process they were given to: what one takes with it when it dies is given to the next, once.
    """

    def __init__(self) -> None:
        self._lock = threading.Lock()
        self._process: subprocess.Popen[str] | None = None
        self._jobs: dict[int, Job] = {}

    def start(self, job: Job) -> None:
        with self._lock:
            self._give(job)

    def _give(self, job: Job) -> None:
        if self._process is None or self._process.poll() is not None:
            self._process = subprocess.Popen(
                [sys.executable, "-m", "tin_kettle.web.worker"],
                stdin=subprocess.PIPE,
                stdout=subprocess.PIPE,
                text=True,
                bufsize=1,
            )
            self._jobs = {}
            threading.Thread(target=self._listen, args=(self._process, self._jobs), daemon=True).start()
        self._jobs[job.id] = job
        self._say({"id": job.id, **job.task})

    def stop(self, job: Job) -> None:
        """Ask a job to end; it is told as stopped when it has."""
        with self._lock:
            job.unwanted = True
            if job.id in self._jobs:
                self._say({"stop": job.id})

    def _say(self, message: dict[str, Any]) -> None:
        assert self._process is not None and self._process.stdin is not None
        # when the process is gone, its listener takes care of the jobs
        with contextlib.suppress(BrokenPipeError):
            self._process.stdin.write(json.dumps(message) + "\n")

    def _listen(self, process: subprocess.Popen[str], jobs: dict[int, Job]) -> None:
        assert process.stdout is not None
        for line in process.stdout:
            try:
                self._hear(json.loads(line), jobs)
            except Exception:  # noqa: BLE001  whatever one job brings up, the others are heard
                _log.exception("a job's message was not understood: %.200s", line)
        process.wait()
        process.stdout.close()
        with self._lock:
            # nobody gives it more: it is known to be gone
            assert process.stdin is not None
            with contextlib.suppress(BrokenPipeError):
                process.stdin.close()
            lost = list(jobs.values())
            jobs.clear()
        for job in lost:
            self._lost(job, process.returncode)

    def _lost(self, job: Job, code: int) -> None:
        if job.unwanted:
            self._end(job, "stopped")
        elif job.lives == 0:
            self._end(job, "failed", problem=f"the work ended twice before it was done (code {code}); try again")
        else:
            job.lives -= 1
            try:
                self.start(job)
            except OSError as problem:
                self._end(job, "failed", problem=f"no process could be started ({problem.strerror}); try again")

    def _hear(self, said: dict[str, Any], jobs: dict[int, Job]) -> None:
        with self._lock:
            job = jobs.get(said["id"])
        if job is None:
            return
        if "progress" in said:
            job.state, job.progress = "running", said["progress"]
            return
        with self._lock:
            del jobs[job.id]
        self._end(job, said["state"], said.get("result"), said.get("problem"))

    @staticmethod
    def _end(job: Job, state: State, result: dict[str, Any] | None = None, problem: str | None = None) -> None:
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
    """Surveys, prints and trials, each on a lane of their own, so that none waits for another."""

    def __init__(self) -> None:
        self._numbers = itertools.count(1)
        self._lanes = {"survey": Lane(), "print": Lane(), "trial": Lane()}

    def start(self, lane: str, task: dict[str, Any], finished: Callable[[Job], None] = lambda _job: None) -> Job:
        """Begin a task of :mod:`tin_kettle.web.worker`: its ``do`` where that is not the lane's own name.

        ``finished`` is called from another thread.
        """
        job = Job(next(self._numbers), {"do": lane, **task}, finished)
        self._lanes[lane].start(job)
        return job

    def stop(self, lane: str, job: Job) -> None:
        """Ask a job to end."""
        if not job.ended:
            self._lanes[lane].stop(job)
