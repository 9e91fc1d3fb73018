"""The server process: gunicorn with one worker and many threads."""

from __future__ import annotations

import gc
import os
import sys
import threading
import time
from functools import partial
from typing import Any

from gunicorn.app.base import BaseApplication

from tin_kettle.core.dsp.compile import compile_all
from tin_kettle.store.database import Library
from tin_kettle.store.deliveries import settle_deliveries
from tin_kettle.store.prints import settle_orphans
from tin_kettle.web.app import create_app
from tin_kettle.web.guard import AccessGuard
from tin_kettle.web.maintenance import look_after

THREADS = 96
GRACE_S = 1
PARENT_LOOK_S = 0.25
SWITCH_S = 0.001


class Server(BaseApplication):  # type: ignore[misc]
    """gunicorn with one worker: the streams live in its memory, and each listener holds a thread."""

    def __init__(self, library: Library, host: str, port: int, door: AccessGuard, scheduler: str | None = None) -> None:
        self._library, self._door, self._scheduler = library, door, scheduler
        shown = f"[{host}]" if ":" in host else host
        self._options: dict[str, Any] = {
            "bind": f"{shown}:{port}",
            "workers": 1,
            "worker_class": "tin_kettle.web.gunicorn_worker.PatientWorker",
            "threads": THREADS,
            "preload_app": True,
            "graceful_timeout": GRACE_S,
            "timeout": 0,
            "loglevel": "warning",
            "control_socket_disable": True,
            "post_worker_init": lambda _worker: begin(library),
            "when_ready": lambda _server: _announce(shown, port, door),
        }
        if door.certificate is not None:
            self._options |= {"certfile": str(door.certificate), "keyfile": str(door.private_key)}
        super().__init__()

    def load_config(self) -> None:
        for name, value in self._options.items():
            if name in self.cfg.settings:
                self.cfg.set(name, value)

    def load(self) -> Any:
        return create_app(self._library, self._door, self._scheduler)


def begin(library: Library) -> None:
    """What the process that answers does beside answering."""
    # whoever worked on them ended with the process that answered before, and so may this one, alone
    settle_orphans(library)
    settle_deliveries(library)
    # the renderer should not wait long for a request that holds the interpreter
    sys.setswitchinterval(SWITCH_S)
    for task in (_warm_up, _leave_with_parent, partial(look_after, library, time.time())):
        threading.Thread(target=task, daemon=True).start()


def _warm_up() -> None:
    """Compile or load every kernel, and take what is there by now out of the rounds of the garbage collector.

    The compiler leaves hundreds of thousands of objects that stay for good; looking through them held up the ear for
    100 ms every few seconds of a moving hand.
    """
    compile_all()
    gc.collect()
    gc.freeze()


def _leave_with_parent() -> None:
    """End when the process that holds the port was killed: open sockets would keep this one, and the port, for ever."""
    parent = os.getppid()
    while os.getppid() == parent:
        time.sleep(PARENT_LOOK_S)
    os._exit(1)


def _announce(host: str, port: int, door: AccessGuard) -> None:
    address = f"{'http' if door.certificate is None else 'https'}://{host}:{port}/"
    key = f"?key={door.access_key}" if door.access_key else ""
    sys.stdout.write(f"Tin Kettle is at {address}{key}\n")
    sys.stdout.flush()
