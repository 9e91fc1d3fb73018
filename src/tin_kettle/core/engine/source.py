"""Sources: sound files read in pieces, as (2, frames) doubles."""

from __future__ import annotations

import threading
from collections import OrderedDict
from collections.abc import Iterator, Mapping
from contextlib import ExitStack, contextmanager
from dataclasses import dataclass
from pathlib import Path
from typing import Protocol

import numpy as np
import soundfile

from tin_kettle.core.dsp.block import Block
from tin_kettle.core.engine.file_integrity import what_is_wrong
from tin_kettle.core.errors import AudioError

LOWEST_RATE_HZ, HIGHEST_RATE_HZ = 8000, 384000
PAGE_FRAMES = 16384
PAGES_KEPT = 48
UNSTATED = 1 << 53
"""Frames beyond this are what the sound library reports where a file does not state its length."""
READABLE = "WAV, FLAC, AIFF or OGG"


class Source(Protocol):
    """Anything that gives samples at a position."""

    rate_hz: int
    frames: int

    def read(self, start: int, frames: int) -> Block:
        """(2, frames) from ``start``; silence outside the source."""
        ...


class ArraySource:
    """Samples in memory, (2, frames)."""

    def __init__(self, samples: Block, rate_hz: int) -> None:
        self._samples = np.ascontiguousarray(samples, dtype=np.float64)
        self.rate_hz = rate_hz
        self.frames = self._samples.shape[1]

    def read(self, start: int, frames: int) -> Block:
        out = np.zeros((2, frames))
        low, high = max(start, 0), min(start + frames, self.frames)
        if low < high:
            out[:, low - start : high - start] = self._samples[:, low:high]
        return out


@dataclass
class Silence:
    """Stands for a source of which only the length counts."""

    frames: int
    rate_hz: int

    def read(self, _start: int, frames: int) -> Block:
        """(2, frames) of zeros."""
        return np.zeros((2, frames))


class Part:
    """A source from one of its frames to another."""

    def __init__(self, source: Source, first: int, last: int) -> None:
        self._source, self._first = source, first
        self.rate_hz, self.frames = source.rate_hz, last - first

    def read(self, start: int, frames: int) -> Block:
        """(2, frames) from ``start``; silence outside the part."""
        out = np.zeros((2, frames))
        low, high = max(start, 0), min(start + frames, self.frames)
        if low < high:
            out[:, low - start : high - start] = self._source.read(self._first + low, high - low)
        return out


class FileSource:
    """A sound file, read page by page; the pages read last stay at hand, so that going back costs nothing.

    Raises:
        AudioError: not a readable sound file, empty, cut short, with more than two channels or at a rate out of
            range; and, when a page is read, samples that are no numbers.
    """

    def __init__(self, path: Path) -> None:
        self.path = path
        try:
            self._file = soundfile.SoundFile(str(path))
        except (soundfile.LibsndfileError, RuntimeError, TypeError) as problem:
            raise AudioError(_unreadable(path)) from problem
        self.rate_hz: int = self._file.samplerate
        self.frames: int = self._file.frames
        self.channels: int = self._file.channels
        self.format = f"{self._file.format} {self._file.subtype}"
        self._pages: OrderedDict[int, Block] = OrderedDict()
        self._lock = threading.Lock()
        try:
            self._check()
        except AudioError:
            self.close()
            raise

    def _check(self) -> None:
        name = self.path.name
        if self.channels > 2:
            raise AudioError(f"{name} has {self.channels} channels; give a mono or stereo file")
        if self.frames >= UNSTATED:
            raise AudioError(f"{name} does not state how long it is; encode it again, to a file and not to a pipe")
        if self.frames <= 0:
            raise AudioError(f"{name} holds no samples; bounce it again")
        if not LOWEST_RATE_HZ <= self.rate_hz <= HIGHEST_RATE_HZ:
            raise AudioError(
                f"{name} is at {self.rate_hz} Hz; rates from {LOWEST_RATE_HZ} to {HIGHEST_RATE_HZ} Hz are allowed"
            )
        wrong = what_is_wrong(self.path)
        if wrong:
            raise AudioError(f"{name} {wrong}")

    def read(self, start: int, frames: int) -> Block:
        """(2, frames) from ``start``; silence outside the file. A mono file gives two equal channels."""
        out = np.zeros((2, frames))
        low, high = max(start, 0), min(start + frames, self.frames)
        with self._lock:
            at = low
            while at < high:
                number, offset = divmod(at, PAGE_FRAMES)
                page = self._page(number)
                run = min(PAGE_FRAMES - offset, high - at)
                out[:, at - start : at - start + run] = page[:, offset : offset + run]
                at += run
        return out

    def _page(self, number: int) -> Block:
        page = self._pages.get(number)
        if page is not None:
            self._pages.move_to_end(number)
            return page
        start = number * PAGE_FRAMES
        wanted = min(PAGE_FRAMES, self.frames - start)
        try:
            if self._file.tell() != start:
                self._file.seek(start)
            samples = self._file.read(wanted, dtype="float64", always_2d=True)
        except (soundfile.LibsndfileError, RuntimeError) as problem:
            raise AudioError(f"{self.path.name} cannot be read at {self._at(start)}; copy it again") from problem
        if samples.shape[0] < wanted:
            raise AudioError(f"{self.path.name} is cut short at {self._at(start)}; copy it again")
        finite = np.isfinite(samples)
        if not finite.all():
            at = self._at(start + int(np.argmin(finite.all(axis=1))))
            raise AudioError(f"{self.path.name} has a sample that is no number at {at}; bounce it again")
        # side by side: several times as fast as turning all of it round at once
        page = np.empty((2, wanted))
        page[0], page[1] = samples[:, 0], samples[:, -1]
        self._pages[number] = page
        if len(self._pages) > PAGES_KEPT:
            self._pages.popitem(last=False)
        return page

    def _at(self, frame: int) -> str:
        return f"{frame / self.rate_hz:.3f} s"

    def close(self) -> None:
        """Close the file."""
        self._file.close()


def _unreadable(path: Path) -> str:
    if not path.is_file():
        return f"{path} is not there; name a {READABLE} file"
    if path.stat().st_size == 0:
        return f"{path.name} is empty; give a {READABLE} file"
    return f"{path.name} is not a sound file that can be read; give a {READABLE} file"


@contextmanager
def opened(files: Mapping[str, Path]) -> Iterator[dict[str, FileSource]]:
    """The files of a recipe's buses, by bus, until they are not needed any more.

    Raises:
        AudioError: as :class:`FileSource`.
    """
    with ExitStack() as stack:
        sources = {}
        for bus_id, path in files.items():
            sources[bus_id] = source = FileSource(path)
            stack.callback(source.close)
        yield sources
