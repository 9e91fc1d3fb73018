"""``tin-kettle demo`` and ``tin-kettle serve``: the bench itself."""

from __future__ import annotations

from pathlib import Path

import click


@click.command()
@click.option("--port", default=8360, type=click.IntRange(1, 65535), help="Port on this machine (8360).")
@click.option("--home", type=click.Path(path_type=Path), help="Where the demo library lives.")
def demo(port: int, home: Path | None) -> None:
    """Start with the demo release."""
    raise click.UsageError("not yet")


@click.command()
@click.option("--host", default="127.0.0.1", help="Address to listen on (this machine only).")
@click.option("--port", default=8360, type=click.IntRange(1, 65535), help="Port (8360).")
@click.option("--home", type=click.Path(path_type=Path), help="Where the library lives.")
def serve(host: str, port: int, home: Path | None) -> None:
    """Start on your own library."""
    raise click.UsageError("not yet")
