"""``tin-kettle batch``: thousands of renders, surveys and measures, on this machine or on a cluster."""

from __future__ import annotations

import json
import sys
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

import click

from tin_kettle.core.batch.jobs import load_jobs
from tin_kettle.core.batch.runner import Progress, run_batch

FAILED = 1


@click.command()
@click.argument("jobs", metavar="JOBS.json", type=click.Path(path_type=Path))
@click.option("--workers", type=click.IntRange(1, 1000), metavar="N", help="Processes on this machine (one a core).")
@click.option("--scheduler", metavar="ADDRESS", help="A running Dask cluster instead, such as tcp://host:8786.")
@click.option("--json", "as_json", is_flag=True, help="What became of the jobs as one JSON object.")
def batch(jobs: Path, workers: int | None, scheduler: str | None, as_json: bool) -> int:
    """Do a file of jobs; what is there and made of the same is left alone."""
    if workers is not None and scheduler is not None:
        raise click.UsageError("--workers are of this machine and --scheduler is a cluster with its own; give one")
    asked = load_jobs(jobs)
    with _shown() as progress:
        outcome = run_batch(asked, jobs.parent, workers, scheduler, progress)
    if as_json:
        click.echo(json.dumps(outcome.document()))
    else:
        for name, problem in outcome.failed.items():
            click.echo(f"{name}: {problem}")
        click.echo(f"{outcome.done} done, {outcome.skipped} skipped, {len(outcome.failed)} failed", err=True)
    return FAILED if outcome.failed else 0


@contextmanager
def _shown() -> Iterator[Progress]:
    """A bar with the time that is left, on a terminal."""
    if not sys.stderr.isatty():
        yield lambda _through, _of: None
        return
    from rich.console import Console  # noqa: PLC0415  only a terminal needs it
    from rich.progress import Progress as Bar  # noqa: PLC0415
    from rich.progress import TimeRemainingColumn  # noqa: PLC0415

    with Bar(
        *Bar.get_default_columns()[:-1], TimeRemainingColumn(), console=Console(stderr=True), transient=True
    ) as bar:
        task = bar.add_task("Jobs", total=None)
        yield lambda through, of: bar.update(task, completed=through, total=of)
