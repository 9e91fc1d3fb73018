"""A progress bar on a terminal, silence in a pipe."""

from __future__ import annotations

import sys
from collections.abc import Iterator
from contextlib import contextmanager

from tin_kettle.core.progress import Progress


@contextmanager
def shown_progress(label: str) -> Iterator[Progress | None]:
    """A function to report the share done to; None where nobody would see it."""
    if not sys.stderr.isatty():
        yield None
        return
    from rich.console import Console  # noqa: PLC0415  only a terminal needs it
    from rich.progress import Progress as Bar  # noqa: PLC0415

    with Bar(console=Console(stderr=True), transient=True) as bar:
        task = bar.add_task(label, total=1.0)
        yield lambda share: bar.update(task, completed=share)
