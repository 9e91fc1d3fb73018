"""Where in the song a stream is: stream frames run on for ever, song frames follow seeks and loops."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, replace
from typing import Self

LONGEST_PIECE = 1 << 40


@dataclass(frozen=True)
class Timeline:
    """Stream frame ``stream`` is song frame ``song``; ``loop`` is (start, end) in song frames, end not included.

    ``before`` tells of the frames before ``stream``; without it they are as if the song had been playing.
    """

    stream: int = 0
    song: int = 0
    loop: tuple[int, int] | None = None
    before: Timeline | None = None

    def song_at(self, stream: int) -> int:
        """Song frame heard at a stream frame."""
        if self.before is not None and stream < self.stream:
            return self.before.song_at(stream)
        at = self.song + stream - self.stream
        if self.loop is None or self.song >= self.loop[1] or at < self.loop[1]:
            return at
        start, end = self.loop
        return start + (at - end) % (end - start)

    def pieces(self, stream: int, frames: int) -> Iterator[tuple[int, int]]:
        """(song frame, frames) of the unbroken runs that make up a stretch of the stream."""
        while frames > 0:
            at = self.song_at(stream)
            run = min(frames, self._unbroken(stream, at))
            yield at, run
            stream += run
            frames -= run

    def _unbroken(self, stream: int, at: int) -> int:
        """Frames from a stream frame, which is song frame ``at``, to the next jump."""
        if self.before is not None and stream < self.stream:
            return min(self.stream - stream, self.before._unbroken(stream, at))
        return self.loop[1] - at if self.loop is not None and self.song < self.loop[1] else LONGEST_PIECE

    def moved(self, stream: int, loop: tuple[int, int] | None) -> Self:
        """The same song frame at ``stream``, with another loop from there on."""
        return replace(self, stream=stream, song=self.song_at(stream), loop=loop, before=replace(self, before=None))

    def starting(self, stream: int) -> Self:
        """The same passage from its start at another stream frame."""
        return replace(self, stream=stream, before=None)


@dataclass(frozen=True)
class Span:
    """A stretch of a stream: ``frames`` from stream frame ``start``, and by which clock they lie in the song."""

    clock: Timeline
    start: int
    frames: int

    def delayed(self, frames: int) -> Span:
        """The stretch that is heard where the sound comes so many frames later."""
        return Span(self.clock, self.start - frames, self.frames) if frames else self

    def part(self, at: int, frames: int) -> Span:
        """A piece of it."""
        return Span(self.clock, self.start + at, frames)

    def longer(self, frames: int) -> Span:
        """The same with so many frames more before it."""
        return Span(self.clock, self.start - frames, self.frames + frames)

    @property
    def runs(self) -> tuple[tuple[int, int], ...]:
        """(song frame, frames) of its unbroken runs."""
        return tuple(self.clock.pieces(self.start, self.frames))

    def cut(self, step: int) -> Iterator[tuple[int, int, int]]:
        """(offset, frames, song frame) of its pieces, cut wherever the song frame is a multiple of ``step``."""
        at = 0
        for song, frames in self.runs:
            done = 0
            while done < frames:
                run = min(step - (song + done) % step, frames - done)
                yield at + done, run, song + done
                done += run
            at += frames
