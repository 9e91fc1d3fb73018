"""``tin-kettle library check``: look for what is lost or damaged in a library."""

from __future__ import annotations

import sys
from pathlib import Path

import click

from tin_kettle.cli.library_folder import own_home
from tin_kettle.core.errors import LibraryError
from tin_kettle.store.database import Library
from tin_kettle.store.integrity import check_library
from tin_kettle.store.lock import library_lock


@click.group()
def library() -> None:
    """Check a library for lost and damaged files."""


@library.command()
@click.option("--home", type=click.Path(path_type=Path), help="Where the library lives.")
@click.option("--repair", is_flag=True, help="Make again what can be made again.")
def check(home: Path | None, repair: bool) -> None:
    """Check database, sounds (by their hashes), waveforms and deliveries; exit 1 where something is to be done."""
    where = home or own_home()
    if not where.is_dir():
        raise LibraryError(f"there is no library in {where}; choose another with --home")
    left = 0
    with library_lock(where):
        for fault in check_library(Library(where), repair):
            left += not fault.mended
            click.echo(f"{fault.what}: {'mended' if fault.mended else fault.remedy}")
    if not left:
        click.echo("nothing is lost or damaged", err=True)
    sys.exit(int(left > 0))
