"""How blocks go along a signal path: one alone, or several after each other, each on a thread of its own.

At no place does one overtake another, so that every stage hears the blocks in order and the samples are the same.
"""

from __future__ import annotations

import threading
from collections.abc import Callable, Iterable, Iterator
from contextlib import AbstractContextManager, contextmanager, nullcontext
from typing import Protocol

from tin_kettle.core.engine.graph.meters import Reading
from tin_kettle.core.errors import Cancelled


class Metered(Protocol):
    """A stage, a bus, a group or a branch with what was read of its last block."""

    @property
    def id(self) -> str: ...

    @property
    def reading(self) -> Reading | None: ...


Read = Callable[[Metered], None]
"""Looks at what a part of the signal path has of the block that it just heard."""

_NOBODY_WAITS = nullcontext()


class Position(Protocol):
    """Where one block is at a time."""

    def parts(self) -> Iterable[Metered]:
        """What may be read there."""
        ...


class Traversal:
    """A block alone on its signal path."""

    def at(self, _place: Position) -> AbstractContextManager[None]:
        """While it is at a place."""
        return _NOBODY_WAITS


ALONE = Traversal()


class Pipeline:
    """The order of blocks that are on a signal path together.

    Args:
        read: called of every part of a place when a block is through it, and before the next one comes.
    """

    def __init__(self, read: Read | None = None) -> None:
        self._read = read
        self._moved = threading.Condition()
        self._through: dict[Position, int] = {}
        self._broken = False

    def traversal(self, number: int) -> Traversal:
        """The way of a block, counted from 0."""
        return _InOrder(self, number)

    def stop(self) -> None:
        """Let nobody wait any more: a block does not arrive."""
        with self._moved:
            self._broken = True
            self._moved.notify_all()

    @contextmanager
    def at(self, place: Position, number: int) -> Iterator[None]:
        """Wait until all blocks before are through a place, and be there.

        Raises:
            Cancelled: one of them does not arrive.
        """
        with self._moved:
            self._moved.wait_for(lambda: self._broken or self._through.get(place, 0) == number)
            if self._broken:
                raise Cancelled("a block before did not arrive")
        yield
        if self._read:
            for part in place.parts():
                self._read(part)
        with self._moved:
            self._through[place] = number + 1
            self._moved.notify_all()


class _InOrder(Traversal):
    def __init__(self, convoy: Pipeline, number: int) -> None:
        self._convoy, self._number = convoy, number

    def at(self, place: Position) -> AbstractContextManager[None]:
        return self._convoy.at(place, self._number)
