"""``tin-kettle deliver``: a whole record by one or several specs."""

from __future__ import annotations

import json
import time
from pathlib import Path

import click

from tin_kettle.cli.progress import shown_progress
from tin_kettle.core.deliver.delivery import Delivered
from tin_kettle.core.deliver.delivery import deliver as deliver_record
from tin_kettle.core.deliver.spec import load_spec
from tin_kettle.core.record.document import load_record

FAILED = 1


@click.command()
@click.argument("record", metavar="RECORD.json", type=click.Path(path_type=Path))
@click.option(
    "--spec",
    "specs",
    multiple=True,
    required=True,
    type=click.Path(path_type=Path),
    help="A spec; several are allowed.",
)
@click.option("--out", required=True, type=click.Path(path_type=Path), help="The folder; each spec has its own in it.")
@click.option("--json", "as_json", is_flag=True, help="One JSON object with every file, its hash and its checks.")
def deliver(record: Path, specs: tuple[Path, ...], out: Path, as_json: bool) -> int:
    """Print every song of a record by every spec, check each file and hash it; exit 1 where one does not pass."""
    asked, wanted = load_record(record), [load_spec(path) for path in specs]
    begun, done = time.monotonic(), 0
    of = sum(1 if spec.files == "whole" else len(asked.songs) for spec in wanted)
    with shown_progress(f"Delivering {asked.title}") as progress:

        def told(_one: Delivered) -> None:
            nonlocal done
            done += 1
            if progress:
                progress(done / of)

        try:
            delivered = deliver_record(asked, record.parent, wanted, out, told)
        except OSError as problem:
            raise click.UsageError(f"{out} cannot be written ({problem.strerror}); name another folder") from None
    passed = all(one.passed for one in delivered)
    if as_json:
        files = [one.document(out) for one in delivered]
        click.echo(json.dumps({"passed": passed, "files": files, "seconds": round(time.monotonic() - begun, 3)}))
    else:
        for one in delivered:
            for reason in one.reasons:
                click.echo(f"{one.spec}, {one.song}: {reason}")
        click.echo(f"{sum(one.passed for one in delivered)} of {of} files pass", err=True)
    return 0 if passed else FAILED
