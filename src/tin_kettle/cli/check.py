"""``tin-kettle check``: is a finished file what a delivery spec asks for?"""

from __future__ import annotations

import json
from pathlib import Path

import click

from tin_kettle.cli.progress import shown_progress
from tin_kettle.core.deliver.check import check_file
from tin_kettle.core.deliver.spec import load_spec

FAILED = 1


@click.command()
@click.argument("file", type=click.Path(path_type=Path))
@click.option("--spec", type=click.Path(path_type=Path), required=True, help="A spec, as docs/spec.schema.json says.")
@click.option("--json", "as_json", is_flag=True, help="One JSON object with every check.")
def check(file: Path, spec: Path, as_json: bool) -> int:
    """Check a sound file against a delivery spec; exit 1 and the reasons where it fails."""
    asked = load_spec(spec)
    with shown_progress(f"Checking {file.name}") as progress:
        checks = check_file(file, asked, progress)
    passed = all(one.passed for one in checks)
    if as_json:
        click.echo(json.dumps({"passed": passed, "checks": [one.document() for one in checks]}))
    else:
        for one in checks:
            if not one.passed:
                click.echo(one.reason)
    return 0 if passed else FAILED
