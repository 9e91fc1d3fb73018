"""What may be compared at any moment: roads that nobody hears yet, kept just behind the ear, caught up when wanted."""

from __future__ import annotations

from collections.abc import Mapping

from tin_kettle.core.engine.road import Piece, Road, block_frames
from tin_kettle.core.engine.timeline import Timeline
from tin_kettle.core.stages.processor import Processor


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
        """Do a little of what is left to bring them up to the ear, but for the ``busy`` one, which is playing.

        Returns:
            False where nothing is left.
        """
        for name, piece in self._wanted.items():
            if name == busy:
                continue
            if name not in self._roads:
                # what stands between it and the ear comes with the road that it takes the place of
                road = Road(piece, self._rate_hz, Processor())
                road.preroll(song, heard)
                self._roads[name] = road, heard
                return True
            road, at = self._roads[name]
            if at + self._block <= heard:
                self._roads[name] = road, self._advance(road, song, at, at + self._block)
                return True
        return False

    def _advance(self, road: Road, song: Timeline, at: int, to: int) -> int:
        while at < to:
            run = min(self._block, to - at)
            road.render(song, at, run)
            at += run
        return to

    def take(self, name: str, piece: Piece, song: Timeline, position: int) -> Road | None:
        """The road of that name, ready to give ``position`` next; None where there is none that far back."""
        if not self.has(name, piece) or self._roads[name][1] > position:
            return None
        road, at = self._roads[name]
        del self._roads[name]
        self._advance(road, song, at, position)
        return road

    def has(self, name: str, piece: Piece) -> bool:
        """Whether a road of that name is kept that plays this."""
        return name in self._roads and self._roads[name][0].piece == piece

    def give(self, name: str, road: Road, position: int) -> None:
        """Take a road back that is heard no more."""
        if self._wanted.get(name) == road.piece:
            self._roads[name] = road, position
