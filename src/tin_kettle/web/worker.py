"""The worker process: one JSON object a line in, progress and results out."""

from __future__ import annotations

import json
import os
import queue
import sys
import threading
import time
from typing import Any

from tin_kettle.core.errors import Cancelled
from tin_kettle.core.low_priority import take_what_is_left
from tin_kettle.web.tasks import ending

REPORT_S = 0.1


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

        _say({"id": number, **ending(task, progress)})


def _say(message: dict[str, Any]) -> None:
    try:
        sys.stdout.write(json.dumps(message) + "\n")
        sys.stdout.flush()
    except BrokenPipeError:
        os._exit(0)  # the server is gone


if __name__ == "__main__":
    take_what_is_left()
    worker = _Worker()
    threading.Thread(target=worker.listen, daemon=True).start()
    worker.work()
