"""Whole-song work in processes of their own, at low priority: it never shares a lock with the ear."""

from __future__ import annotations

import contextlib
import itertools
import json
import subprocess
import sys
import threading
from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any, Literal

State = Literal["waiting", "running", "done", "failed", "stopped"]


@dataclass
class Job:
    """A piece of work. ``result`` is there once it is done, ``problem`` when it failed."""

    id: int
    task: dict[str, Any]
    finished: Callable[[Job], None] = field(repr=False)
    state: State = "waiting"
    progress: float = 0.0
    result: dict[str, Any] | None = None
    problem: str | None = None

    @property
    def ended(self) -> bool:
        return self.state in ("done", "failed", "stopped")


class Lane:
    """One worker process that does one job after the other; it is started with the first."""

    def __init__(self) -> None:
        self._lock = threading.Lock()
        self._process: subprocess.Popen[str] | None = None
        self._jobs: dict[int, Job] = {}

    def start(self, job: Job) -> None:
        with self._lock:
            self._jobs[job.id] = job
            if self._process is None or self._process.poll() is not None:
                self._process = subprocess.Popen(
                    [sys.executable, "-m", "tin_kettle.web.worker"],
                    stdin=subprocess.PIPE,
                    stdout=subprocess.PIPE,
                    text=True,
                    bufsize=1,
                )
                threading.Thread(target=self._listen, args=(self._process,), daemon=True).start()
            self._say({"id": job.id, **job.task})

    def stop(self, job_id: int) -> None:
        """Ask a job to end; it is told as stopped when it has."""
        with self._lock:
            if job_id in self._jobs:
                self._say({"stop": job_id})

    def _say(self, message: dict[str, Any]) -> None:
        assert self._process is not None and self._process.stdin is not None
        # when the process is gone, its listener ends the jobs
        with contextlib.suppress(BrokenPipeError):
            self._process.stdin.write(json.dumps(message) + "\n")

    def _listen(self, process: subprocess.Popen[str]) -> None:
        assert process.stdout is not None
        for line in process.stdout:
            self._hear(json.loads(line))
        with self._lock:
            lost = list(self._jobs.values())
            self._jobs.clear()
        for job in lost:
            self._end(job, "failed", problem="the work was lost; try again")

    def _hear(self, said: dict[str, Any]) -> None:
        with self._lock:
            job = self._jobs.get(said["id"])
        if job is None:
            return
        if "progress" in said:
            job.state, job.progress = "running", said["progress"]
            return
        with self._lock:
            del self._jobs[job.id]
        self._end(job, said["state"], said.get("result"), said.get("problem"))

    @staticmethod
    def _end(job: Job, state: State, result: dict[str, Any] | None = None, problem: str | None = None) -> None:
        job.result, job.problem = result, problem
        job.finished(job)
        # told last: whoever sees it ended finds all that it left
        job.state = state


class Jobs:
    """Surveys and prints, each on a lane of their own, so that neither waits for the other."""

    def __init__(self) -> None:
        self._numbers = itertools.count(1)
        self._lanes = {"survey": Lane(), "print": Lane()}

    def start(self, lane: str, task: dict[str, Any], finished: Callable[[Job], None] = lambda _job: None) -> Job:
        """Begin a task of :mod:`tin_kettle.web.worker`; ``finished`` is called from another thread."""
        job = Job(next(self._numbers), {"do": lane, **task}, finished)
        self._lanes[lane].start(job)
        return job

    def stop(self, lane: str, job: Job) -> None:
        """Ask a job to end."""
        if not job.ended:
            self._lanes[lane].stop(job.id)
