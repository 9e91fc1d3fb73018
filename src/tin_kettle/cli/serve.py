"""``tin-kettle demo`` and ``tin-kettle serve``: the bench itself."""

from __future__ import annotations

import ipaddress
import secrets
import socket
from pathlib import Path
from typing import Any

import click
import platformdirs
from gunicorn.app.base import BaseApplication

from tin_kettle.core.errors import LibraryError
from tin_kettle.demo.library import fill_demo
from tin_kettle.store.database import Library
from tin_kettle.web.app import create_app

THREADS = 64
GRACE_S = 1


@click.command()
@click.option("--port", default=8360, type=click.IntRange(1, 65535), help="Port on this machine (8360).")
@click.option("--home", type=click.Path(path_type=Path), help="Where the demo library lives.")
def demo(port: int, home: Path | None) -> None:
    """Start with the demo release."""
    _check_port("127.0.0.1", port)
    library = Library(home or platformdirs.user_data_path("tin-kettle") / "demo")
    fill_demo(library, lambda text: click.echo(text, err=True))
    _run(library, "127.0.0.1", port)


@click.command()
@click.option("--host", default="127.0.0.1", help="Address to listen on (this machine only).")
@click.option("--port", default=8360, type=click.IntRange(1, 65535), help="Port (8360).")
@click.option("--home", type=click.Path(path_type=Path), help="Where the library lives.")
def serve(host: str, port: int, home: Path | None) -> None:
    """Start on your own library."""
    _check_port(host, port)
    _run(Library(home or platformdirs.user_data_path("tin-kettle") / "library"), host, port)


def _check_port(host: str, port: int) -> None:
    family = socket.AF_INET6 if ":" in host else socket.AF_INET
    with socket.socket(family, socket.SOCK_STREAM) as trial:
        trial.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            trial.bind((host, port))
        except OSError as problem:
            raise LibraryError(
                f"port {port} on {host} cannot be used ({problem.strerror}); choose another with --port"
            ) from None


def _is_loopback(host: str) -> bool:
    try:
        return ipaddress.ip_address(host).is_loopback
    except ValueError:
        return host == "localhost"


class _Server(BaseApplication):  # type: ignore[misc]
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
    click.echo(f"Tin Kettle is at {address}" + (f"?key={access_key}" if access_key else ""))


def _run(library: Library, host: str, port: int) -> None:
    access_key = None if _is_loopback(host) else secrets.token_urlsafe(24)
    _Server(library, host, port, access_key).run()
