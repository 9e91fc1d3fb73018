"""What may be compared at any moment: roads that nobody hears yet, kept just behind the ear, caught up when wanted."""

from __future__ import annotations

from collections.abc import Mapping

from tin_kettle.core.dsp.timeline import Timeline
from tin_kettle.core.engine.live.render_path import MOST_PREROLL_S, PREROLL_S, Piece, PlainEar, Road, block_frames


class Spares:
    """Roads by name, each with the stream frame that it gives next."""

    def __init__(self, rate_hz: int) -> None:
        self._rate_hz = rate_hz
        self._block = block_frames(rate_hz)
        self._wanted: dict[str, Piece] = {}
        self._roads: dict[str, tuple[Road, int]] = {}

    def want(self, pieces: Mapping[str, Piece]) -> None:
        """Keep these and no others."""
        self._wanted = dict(pieces)
        for name in list(self._roads):
            if name not in pieces or self._roads[name][0].piece != pieces[name]:
                del self._roads[name]

    def restart(self) -> None:
        """The song goes on from elsewhere: what was heard so far is void."""
        self._roads.clear()

    def follow(self, song: Timeline, heard: int, busy: str) -> bool:
        """Run a block of what is left to bring them up to the ear, but for the ``busy`` one, which is playing.

        Returns:
            False where nothing is left.
        """
        for name, piece in self._wanted.items():
            if name == busy:
                continue
            if name not in self._roads:
                self._roads[name] = self._begun(piece, song, heard)
                return True
            road, at = self._roads[name]
            if at + self._block <= heard:
                road.advance(song, at, at + self._block)
                self._roads[name] = road, at + self._block
                return True
        return False

    def _begun(self, piece: Piece, song: Timeline, heard: int) -> tuple[Road, int]:
        """A road as far before the ear as it remembers; it is run up to the ear block by block."""
        # what stands between it and the ear comes with the road that it takes the place of
        road = Road.of(piece, self._rate_hz, PlainEar())
        seconds = min(max(road.graph.memory_s, PREROLL_S), MOST_PREROLL_S)
        clock = piece.timeline or song
        before = min(round(seconds * self._rate_hz), max(clock.song_at(heard), 0))
        return road, heard - before - road.graph.delay

    def take(self, name: str, piece: Piece, song: Timeline, position: int) -> Road | None:
        """The road of that name, ready to give ``position`` next; None where there is none that far back."""
        if not self.has(name, piece) or self._roads[name][1] > position:
            return None
        road, at = self._roads.pop(name)
        # one that is still being warmed is given the last second, whatever it remembers
        at = max(at, position - round(PREROLL_S * self._rate_hz) - 2 * road.graph.delay)
        road.advance(song, at, position)
        return road

    def has(self, name: str, piece: Piece) -> bool:
        """Whether a road of that name is kept that plays this."""
        return name in self._roads and self._roads[name][0].piece == piece

    def give(self, name: str, road: Road, position: int) -> None:
        """Take a road back that is heard no more."""
        if self._wanted.get(name) == road.piece:
            self._roads[name] = road, position
