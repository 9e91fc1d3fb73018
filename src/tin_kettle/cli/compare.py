"""``tin-kettle compare``: what one file does that another does not."""

from __future__ import annotations

import json
from contextlib import closing
from pathlib import Path

import click

from tin_kettle.cli.progress import shown_progress
from tin_kettle.core.engine.source import FileSource
from tin_kettle.core.survey.comparison import compare_sources


@click.command()
@click.argument("a", type=click.Path(path_type=Path))
@click.argument("b", type=click.Path(path_type=Path))
@click.option("--json", "as_json", is_flag=True, help="One JSON object: delay, loudness, null depth, third octaves.")
def compare(a: Path, b: Path, as_json: bool) -> None:
    """Say what file B does that file A does not, aligned and at equal loudness."""
    with closing(FileSource(a)) as one, closing(FileSource(b)) as other, shown_progress("Comparing") as progress:
        found = compare_sources(one, other, progress)
    click.echo(json.dumps(found.document()) if as_json else found.words)
