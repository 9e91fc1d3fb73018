"""Whole-song work on a Dask cluster, whose workers see the library under the same path."""

from __future__ import annotations

import contextlib
import threading
import time
import uuid
from dataclasses import dataclass
from typing import Any

from tin_kettle.core.batch.cluster import TRIES, connect
from tin_kettle.core.errors import Cancelled, KettleError
from tin_kettle.web.jobs import Job, JobRunner, end
from tin_kettle.web.tasks import Task, ending

REPORT_S = 0.5


@dataclass(frozen=True)
class _Given:
    job: Job
    client: Any
    future: Any
    unwanted: Any


class Cluster(JobRunner):
    """Workers that do as many jobs at a time as there are of them; one that dies leaves its job to another.

    Args:
        scheduler: its address. It is called when a job is given and nobody is on the line.
    """

    def __init__(self, scheduler: str) -> None:
        self._scheduler = scheduler
        self._lock = threading.Lock()
        self._client: Any = None
        self._given: dict[str, _Given] = {}

    def _called(self) -> Any:
        with self._lock:
            if self._client is None or self._client.status != "running":
                self._client = connect(self._scheduler)
            return self._client

    def start(self, job: Job) -> None:
        from distributed import Event  # noqa: PLC0415  only a cluster needs it

        topic = f"tin-kettle-{uuid.uuid4().hex}"
        try:
            client = self._called()
            client.subscribe_topic(topic, lambda event: _heard(job, event[1]))
            unwanted = Event(topic, client=client)
            future = client.submit(_do, job.task, topic, pure=False, retries=TRIES)
        except (KettleError, OSError, TimeoutError) as away:
            end(job, "failed", problem=f"{away}; try again when the cluster is there")
            return
        with self._lock:
            self._given[topic] = _Given(job, client, future, unwanted)
        future.add_done_callback(lambda _future: self._done(topic))

    def stop(self, job: Job) -> None:
        job.unwanted = True
        with self._lock:
            given = next((given for given in self._given.values() if given.job is job), None)
        if given is None:
            return
        # where the cluster is gone, the work ends by that
        with contextlib.suppress(OSError, TimeoutError):
            # who has begun it looks for the event, and whoever has not never does
            given.unwanted.set()
            if job.state == "waiting":
                given.future.cancel()

    def _done(self, topic: str) -> None:
        with self._lock:
            given = self._given.pop(topic)
        job, future = given.job, given.future
        if future.status != "finished" and job.unwanted:
            end(job, "stopped")
        elif future.status != "finished":
            end(job, "failed", problem="the cluster lost this work; see that it runs, and try again")
        else:
            told = future.result()
            end(job, told["state"], told.get("result"), told.get("problem"))
        with contextlib.suppress(OSError, TimeoutError):
            given.client.unsubscribe_topic(topic)


def _heard(job: Job, share: float) -> None:
    if not job.ended:
        job.state, job.progress = "running", share


def _do(task: Task, topic: str) -> dict[str, Any]:
    """On a worker: do a task, tell how far it is, and stop when nobody wants it any more."""
    from distributed import Event, get_worker  # noqa: PLC0415  only a cluster needs it

    worker, unwanted, last = get_worker(), Event(topic), 0.0

    def progress(share: float) -> None:
        nonlocal last
        if time.monotonic() - last > REPORT_S:
            last = time.monotonic()
            worker.log_event(topic, round(share, 4))
            if unwanted.is_set():
                raise Cancelled("stopped")

    return ending(task, progress)
