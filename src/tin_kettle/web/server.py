"""The server process: gunicorn with one worker and many threads."""

from __future__ import annotations

import sys
import threading
from typing import Any

from gunicorn.app.base import BaseApplication

from tin_kettle.core.dsp.compile import compile_all
from tin_kettle.store.database import Library
from tin_kettle.web.app import create_app

THREADS = 64
GRACE_S = 1


class Server(BaseApplication):  # type: ignore[misc]
    """gunicorn with one worker: the streams live in its memory, and each listener holds a thread."""

    def __init__(self, library: Library, host: str, port: int, access_key: str | None) -> None:
        self._library, self._access_key = library, access_key
        shown = f"[{host}]" if ":" in host else host
        self._options: dict[str, Any] = {
            "bind": f"{shown}:{port}",
            "workers": 1,
            "worker_class": "gthread",
            "threads": THREADS,
            "preload_app": True,
            "graceful_timeout": GRACE_S,
            "timeout": 0,
            "loglevel": "warning",
            "control_socket_disable": True,
            "post_worker_init": lambda _worker: threading.Thread(target=compile_all, daemon=True).start(),
            "when_ready": lambda _server: _announce(shown, port, access_key),
        }
        super().__init__()

    def load_config(self) -> None:
        for name, value in self._options.items():
            if name in self.cfg.settings:
                self.cfg.set(name, value)

    def load(self) -> Any:
        return create_app(self._library, self._access_key)


def _announce(host: str, port: int, access_key: str | None) -> None:
    address = f"http://{host}:{port}/"
    sys.stdout.write(f"Tin Kettle is at {address}" + (f"?key={access_key}\n" if access_key else "\n"))
    sys.stdout.flush()
