"""Render paths on standby: what may be compared at any moment, kept just behind the ear, caught up when called."""

from __future__ import annotations

from collections.abc import Mapping

from tin_kettle.core.dsp.timeline import Timeline
from tin_kettle.core.engine.live.render_path import (
    MOST_PREROLL_S,
    PREROLL_S,
    PassThrough,
    Piece,
    RenderPath,
    block_frames,
)


class StandbyPaths:
    """Render paths by name, each with the stream frame that it gives next."""

    def __init__(self, rate_hz: int) -> None:
        self._rate_hz = rate_hz
        self._block = block_frames(rate_hz)
        self._listening: dict[str, Piece] = {}
        self._render_paths: dict[str, tuple[RenderPath, int]] = {}

    def want(self, pieces: Mapping[str, Piece]) -> None:
        """Keep these and no others."""
        self._listening = dict(pieces)
        for name in list(self._render_paths):
            if name not in pieces or self._render_paths[name][0].piece != pieces[name]:
                del self._render_paths[name]

    def restart(self) -> None:
        """The song goes on from elsewhere: what was heard so far is void."""
        self._render_paths.clear()

    def follow(self, song: Timeline, heard: int, busy: str) -> bool:
        """Run a block of what is left to bring them up to the ear, but for the ``busy`` one, which is playing.

        Returns:
            False where nothing is left.
        """
        for name, piece in self._listening.items():
            if name == busy:
                continue
            if name not in self._render_paths:
                self._render_paths[name] = self._begun(piece, song, heard)
                return True
            render_path, at = self._render_paths[name]
            if at + self._block <= heard:
                render_path.advance(song, at, at + self._block)
                self._render_paths[name] = render_path, at + self._block
                return True
        return False

    def _begun(self, piece: Piece, song: Timeline, heard: int) -> tuple[RenderPath, int]:
        """A render path as far before the ear as it remembers; it is run up to the ear block by block."""
        # what stands between it and the ear comes with the render path that it takes the place of
        render_path = RenderPath.of(piece, self._rate_hz, PassThrough())
        seconds = min(max(render_path.graph.memory_s, PREROLL_S), MOST_PREROLL_S)
        clock = piece.timeline or song
        before = min(round(seconds * self._rate_hz), max(clock.song_at(heard), 0))
        return render_path, heard - before - render_path.graph.delay

    def take(self, name: str, piece: Piece, song: Timeline, position: int) -> RenderPath | None:
        """The render path of that name, ready to give ``position`` next; None where there is none that far back."""
        if not self.has(name, piece) or self._render_paths[name][1] > position:
            return None
        render_path, at = self._render_paths.pop(name)
        # one that is still being warmed is given the last second, whatever it remembers
        at = max(at, position - round(PREROLL_S * self._rate_hz) - 2 * render_path.graph.delay)
        render_path.advance(song, at, position)
        return render_path

    def has(self, name: str, piece: Piece) -> bool:
        """Whether a render path of that name is kept that plays this."""
        return name in self._render_paths and self._render_paths[name][0].piece == piece

    def give(self, name: str, render_path: RenderPath, position: int) -> None:
        """Take a render path back that is heard no more."""
        if self._listening.get(name) == render_path.piece:
            self._render_paths[name] = render_path, position
