"""``tin-kettle demo`` and ``tin-kettle serve``: the bench itself."""

from __future__ import annotations

import ipaddress
import secrets
import socket
from pathlib import Path

import click
import platformdirs

from tin_kettle.core.errors import LibraryError
from tin_kettle.store.database import Library


@click.command()
@click.option("--port", default=8360, type=click.IntRange(1, 65535), help="Port on this machine (8360).")
@click.option("--home", type=click.Path(path_type=Path), help="Where the demo library lives.")
def demo(port: int, home: Path | None) -> None:
    """Start with the demo release."""
    _check_port("127.0.0.1", port)
    from tin_kettle.demo.library import fill_demo  # noqa: PLC0415  no other command needs what it loads

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


def _run(library: Library, host: str, port: int) -> None:
    from tin_kettle.web.server import Server  # noqa: PLC0415  no other command needs what it loads

    access_key = None if _is_loopback(host) else secrets.token_urlsafe(24)
    Server(library, host, port, access_key).run()
