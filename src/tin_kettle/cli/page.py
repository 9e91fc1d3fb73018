"""``tin-kettle page``: a listening page in one file."""

from __future__ import annotations

import json
from pathlib import Path

import click

from tin_kettle.cli.progress import shown_progress
from tin_kettle.core.deliver.listening_page.build import make_page
from tin_kettle.core.deliver.listening_page.document import load_page


@click.command()
@click.argument("document", metavar="PAGE.json", type=click.Path(path_type=Path))
@click.option("--out", required=True, type=click.Path(path_type=Path), help="The page: one HTML file.")
@click.option("--json", "as_json", is_flag=True, help="One JSON object: the file, its hash, every take.")
def page(document: Path, out: Path, as_json: bool) -> None:
    """Make a listening page: takes of songs side by side, in one file that opens anywhere."""
    contents = load_page(document)
    with shown_progress(f"Making {out.name}") as progress:
        made = make_page(contents, document.parent, out, progress)
    if as_json:
        click.echo(json.dumps(made.document()))
    else:
        click.echo(f"{out} is made: {made.bytes / 1e6:.1f} MB", err=True)
