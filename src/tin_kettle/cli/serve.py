"""``tin-kettle demo``, ``serve`` and ``restore``: the bench itself, and its library."""

from __future__ import annotations

import ipaddress
import secrets
import socket
import ssl
from pathlib import Path

import click

from tin_kettle.cli.library_folder import demo_home, own_home
from tin_kettle.core.batch.cluster import reach
from tin_kettle.core.dsp.compile import compile_all, is_compiled
from tin_kettle.core.errors import LibraryError
from tin_kettle.store.backup import list_copies
from tin_kettle.store.backup import restore as restore_copy
from tin_kettle.store.database import Library
from tin_kettle.store.lock import library_lock
from tin_kettle.web.guard import AccessGuard


@click.command()
@click.option("--port", default=8360, type=click.IntRange(1, 65535), help="Port on this machine (8360).")
@click.option("--home", type=click.Path(path_type=Path), help="Where the demo library lives.")
def demo(port: int, home: Path | None) -> None:
    """Start with the demo release."""
    _check_port("127.0.0.1", port)
    _compile_once()
    from tin_kettle.demo.library import fill_beside, fill_first  # noqa: PLC0415  no other command needs what it loads

    where = home or demo_home()
    with library_lock(where):
        library = Library(where)
        fill_first(library, lambda text: click.echo(text, err=True))
        filling = fill_beside(library)
        try:
            _run(library, "127.0.0.1", port, AccessGuard())
        finally:
            if filling:
                filling.kill()


@click.command()
@click.option("--host", default="127.0.0.1", help="Address to listen on (this machine only).")
@click.option("--port", default=8360, type=click.IntRange(1, 65535), help="Port (8360).")
@click.option("--home", type=click.Path(path_type=Path), help="Where the library lives.")
@click.option("--name", "names", multiple=True, help="A name of this machine that the bench may be opened under.")
@click.option("--cert", type=click.Path(path_type=Path), help="Certificate (PEM) for HTTPS; with --key.")
@click.option("--key", type=click.Path(path_type=Path), help="Private key (PEM) for HTTPS; with --cert.")
@click.option("--new", is_flag=True, help="Begin a new database where sounds lie that a lost one knew.")
@click.option("--scheduler", metavar="ADDRESS", help="A Dask cluster for surveys and prints, such as tcp://host:8786.")
def serve(
    host: str,
    port: int,
    home: Path | None,
    names: tuple[str, ...],
    cert: Path | None,
    key: Path | None,
    new: bool,
    scheduler: str | None,
) -> None:
    """Start on your own library."""
    _check_port(host, port)
    if scheduler is not None:
        reach(scheduler)
    certificate, private_key = _certificate(cert, key)
    _compile_once()
    own = {host, socket.gethostname(), f"{socket.gethostname()}.local", *names}
    access_key = None if _is_loopback(host) else secrets.token_urlsafe(24)
    door = AccessGuard(access_key, frozenset(name.lower() for name in own), certificate, private_key)
    where = home or own_home()
    with library_lock(where):
        _run(Library(where, new), host, port, door, scheduler)


@click.command()
@click.option("--home", type=click.Path(path_type=Path), help="Where the library lives.")
@click.option("--day", help="Day or hour (UTC) of the copy, as 2026-11-26 or 2026-11-26T14; without, the newest.")
@click.option("--list", "listing", is_flag=True, help="List the copies instead, oldest first.")
def restore(home: Path | None, day: str | None, listing: bool) -> None:
    """Put a copy of the library's database back; stop the server before."""
    where = home or own_home()
    if listing:
        click.echo("\n".join(list_copies(where)))
        return
    with library_lock(where):
        click.echo(f"the database in {where} is that of {restore_copy(where, day)} again", err=True)


def _certificate(cert: Path | None, key: Path | None) -> tuple[Path | None, Path | None]:
    if (cert is None) != (key is None):
        raise click.UsageError("HTTPS needs both --cert and --key; give the other one too")
    if cert is not None and key is not None:
        try:
            ssl.SSLContext(ssl.PROTOCOL_TLS_SERVER).load_cert_chain(cert, key)
        except (OSError, ssl.SSLError) as problem:
            raise click.UsageError(
                f"--cert {cert} and --key {key} cannot be used ({problem}); give PEM files"
            ) from None
    return cert, key


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


def _compile_once() -> None:
    if not is_compiled():
        click.echo("the sound's kernels are compiled for this machine, once; it takes a minute or two", err=True)
        compile_all()


def _is_loopback(host: str) -> bool:
    try:
        return ipaddress.ip_address(host).is_loopback
    except ValueError:
        return host == "localhost"


def _run(library: Library, host: str, port: int, door: AccessGuard, scheduler: str | None = None) -> None:
    from tin_kettle.web.server import Server  # noqa: PLC0415  no other command needs what it loads

    Server(library, host, port, door, scheduler).run()
