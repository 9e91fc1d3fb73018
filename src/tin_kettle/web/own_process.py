"""Whole-song work in a process beside the server, in what time is left over: it never shares a lock with the ear."""

from __future__ import annotations

import contextlib
import json
import logging
import subprocess
import sys
import threading
from typing import Any

from tin_kettle.web.jobs import Job, JobRunner, end

_log = logging.getLogger(__name__)


class OwnProcess(JobRunner):
    """A process beside the server that does one job after the other; it is started with the first.

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
            end(job, "stopped")
        elif job.lives == 0:
            end(job, "failed", problem=f"the work ended twice before it was done (code {code}); try again")
        else:
            job.lives -= 1
            try:
                self.start(job)
            except OSError as problem:
                end(job, "failed", problem=f"no process could be started ({problem.strerror}); try again")

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
        end(job, said["state"], said.get("result"), said.get("problem"))
