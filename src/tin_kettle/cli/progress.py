"""A progress bar on a terminal, silence in a pipe."""

from __future__ import annotations

import sys
from collections.abc import Iterator
from contextlib import contextmanager

from rich.console import Console
from rich.progress import Progress as Bar

from tin_kettle.core.engine.offline import Progress


@contextmanager
def shown_progress(label: str) -> Iterator[Progress | None]:
    """A function to report the share done to; None where nobody would see it."""
    if not sys.stderr.isatty():
        yield None
        return
    with Bar(console=Console(stderr=True), transient=True) as bar:
        task = bar.add_task(label, total=1.0)
        yield lambda share: bar.update(task, completed=share)
