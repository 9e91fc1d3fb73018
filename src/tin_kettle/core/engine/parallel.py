"""Several that hear the same blocks at once, each in order."""

from __future__ import annotations

import os
from collections import deque
from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import Future, ThreadPoolExecutor
from contextlib import ExitStack, contextmanager

from tin_kettle.core.dsp.block import Block

CORES = min(os.cpu_count() or 1, 4)
"""Threads that one piece of work takes."""
BLOCK_FRAMES = 65536
"""Blocks go from thread to thread: what a hand-over takes is as much for a short one."""
BEHIND = 4
"""Blocks that the slowest may be behind."""
Hear = Callable[[Block], None]


@contextmanager
def in_parallel(hearers: Sequence[Hear]) -> Iterator[Hear]:
    """A way to let all of them hear the next block, each on a thread of its own; all have heard it all at the end.

    Kernels and transforms let go of the interpreter, so that this uses as many cores as there are hearers.
    """
    with ExitStack() as stack:
        threads = [stack.enter_context(ThreadPoolExecutor(1)) for _ in hearers]
        hearing: deque[list[Future[None]]] = deque()

        def feed(block: Block) -> None:
            hearing.append([thread.submit(hear, block) for thread, hear in zip(threads, hearers, strict=True)])
            if len(hearing) > BEHIND:
                _wait(hearing.popleft())

        yield feed
        for heard in hearing:
            _wait(heard)


def _wait(heard: list[Future[None]]) -> None:
    for one in heard:
        one.result()
