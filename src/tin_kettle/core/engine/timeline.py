"""Where in the song a stream is: stream frames run on for ever, song frames follow seeks and loops."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, replace
from typing import Self

LONGEST_PIECE = 1 << 40


@dataclass(frozen=True)
class Timeline:
    """Stream frame ``stream`` is song frame ``song``; ``loop`` is (start, end) in song frames, end not included."""

    stream: int = 0
    song: int = 0
    loop: tuple[int, int] | None = None

    def song_at(self, stream: int) -> int:
        """Song frame heard at a stream frame; before the anchor as if the song had been playing."""
        at = self.song + stream - self.stream
        if self.loop is None or self.song >= self.loop[1] or at < self.loop[1]:
            return at
        start, end = self.loop
        return start + (at - end) % (end - start)

    def pieces(self, stream: int, frames: int) -> Iterator[tuple[int, int]]:
        """(song frame, frames) of the unbroken runs that make up a stretch of the stream."""
        while frames > 0:
            at = self.song_at(stream)
            ahead = LONGEST_PIECE
            if self.loop is not None and self.song < self.loop[1]:
                ahead = self.loop[1] - at
            run = min(frames, ahead)
            yield at, run
            stream += run
            frames -= run

    def moved(self, stream: int, loop: tuple[int, int] | None) -> Self:
        """The same song frame at ``stream``, with another loop from there on."""
        return replace(self, stream=stream, song=self.song_at(stream), loop=loop)

    def starting(self, stream: int) -> Self:
        """The same passage from its start at another stream frame."""
        return replace(self, stream=stream)
