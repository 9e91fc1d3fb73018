"""A batch on Dask: workers of this machine, or a cluster by its address. What is done is noted as it is done."""

from __future__ import annotations

import time
from collections.abc import Callable, Iterator
from contextlib import AbstractContextManager
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from tin_kettle.core.batch.cluster import MEMORY, TRIES, connect, own_workers
from tin_kettle.core.batch.execute import problem_of
from tin_kettle.core.batch.jobs import Job, Jobs, check_paths
from tin_kettle.core.batch.results import Hashes, is_made, key_of, note_made, sweep

AT_ONCE = 4
"""Jobs that are handed out for each worker: enough that none waits, few enough that thousands cost nothing."""

Progress = Callable[[int, int], None]
"""Told how many jobs are through, and of how many."""


@dataclass
class Outcome:
    """What became of a batch; ``failed`` is id → problem."""

    done: int = 0
    skipped: int = 0
    failed: dict[str, str] = field(default_factory=dict)
    seconds: float = 0.0

    def document(self) -> dict[str, Any]:
        """Plain values."""
        failed = [{"id": name, "problem": problem} for name, problem in self.failed.items()]
        return {"done": self.done, "skipped": self.skipped, "failed": failed, "seconds": round(self.seconds, 3)}


def run_batch(
    jobs: Jobs,
    folder: Path,
    workers: int | None = None,
    scheduler: str | None = None,
    progress: Progress = lambda _through, _of: None,
) -> Outcome:
    """Do all jobs whose results are not there yet.

    Args:
        folder: what the paths of jobs are relative to.
        workers: processes on this machine; None takes one for each core.
        scheduler: the address of a running cluster, whose workers see the same files and have the same program.

    Raises:
        KettleError: the cluster cannot be reached, or one job would write over what another reads or writes.
    """
    check_paths(jobs, folder)
    begun, outcome, hashes = time.monotonic(), Outcome(), Hashes()
    folder = folder.resolve()
    missing: list[tuple[Job, str]] = []
    for job in jobs.jobs:
        sweep(folder / job.out)
        try:
            key = key_of(job, folder, hashes)
        except OSError as unread:
            outcome.failed[job.id] = f"{unread.filename}: cannot be read ({unread.strerror}); bring it, or name another"
            continue
        if is_made(folder / job.out, key):
            outcome.skipped += 1
        else:
            missing.append((job, key))
    through = len(jobs.jobs) - len(missing)
    progress(through, len(jobs.jobs))
    if missing:
        with _cluster(workers, scheduler) as client:
            for job, key, problem in _run(client, missing, folder):
                if problem is None:
                    note_made(folder / job.out, key)
                    outcome.done += 1
                else:
                    outcome.failed[job.id] = problem
                sweep(folder / job.out)
                through += 1
                progress(through, len(jobs.jobs))
    outcome.seconds = time.monotonic() - begun
    return outcome


def _cluster(workers: int | None, scheduler: str | None) -> AbstractContextManager[Any]:
    return own_workers(workers) if scheduler is None else connect(scheduler)


def _run(client: Any, missing: list[tuple[Job, str]], folder: Path) -> Iterator[tuple[Job, str, str | None]]:
    """Hand out jobs as workers come free; each with why it failed, or None."""
    from distributed import KilledWorker, as_completed  # noqa: PLC0415

    waiting = iter(missing)
    under_way: dict[Any, tuple[Job, str]] = {}
    running = as_completed(loop=client.loop)

    def hand_out() -> None:
        for job, key in waiting:
            # the same job asked twice is two pieces of work: a result that was thrown away is made again
            future = client.submit(problem_of, job, folder, pure=False, retries=TRIES)
            under_way[future] = job, key
            running.add(future)
            return

    for _ in range(AT_ONCE * max(1, len(client.scheduler_info()["workers"]))):
        hand_out()
    for future in running:
        job, key = under_way.pop(future)
        try:
            problem = future.result()
        except KilledWorker:
            problem = f"its worker died {TRIES} times over it; the file may need more memory than {MEMORY}"
        except Exception as fault:  # noqa: BLE001  whatever the cluster brings up is the job's problem
            problem = f"the cluster failed ({type(fault).__name__}: {fault})"
        yield job, key, problem
        hand_out()
