"""What is known of one listener's ear and hand: when an edit is taken up, and how far ahead of the ear is rendered."""

from __future__ import annotations

import time

from tin_kettle.core.engine.live.audition import Audition

MOST_AHEAD_S = 6.0
"""However much credit is asked for, no more than this is rendered ahead."""
REST_S = 0.25
"""So long after an edit the hand rests: what is rendered far ahead is not thrown away at once."""
GROWS = 1.5
"""From then on what lies ahead grows by so many seconds each second: all at once, it would take a core from the page
after every touch."""
LOOKS_S = 0.05
REWIND_GAP_S, STILL_GAP_S = 0.04, 0.1
"""Edits are heard no more often than this; where nothing plays it is enough that what is shown follows."""
MOVES_ON_S = 0.05
"""A hand whose edits follow each other so soon moves on."""
CAUGHT_UP = 0.8
"""Its edits wait until so much of what is near the ear is the new sound again: else the ear would meet the new and the
old by turns."""
LEFT_AHEAD = 0.3
"""One that comes alone waits for nothing while so much lies ahead of the ear: what it is to replace is played until it
is replaced."""
CUSHION_S = 0.6
"""While a hand moves, what was rendered far ahead is played and not made up for. Once less than this is left, edits
wait for as much of the new sound: they are heard later then, and nothing breaks."""
LONGEST_REWIND_GAP_S, LONGEST_WAIT_S = 0.3, 1.5
"""At the latest after so long: a chain that hardly keeps up is heard to move as well. The second where so little is
left that a gap would be heard."""
HAND_S = 0.15
"""So long after an edit the hand may be under way."""
STILL_S = 0.25
"""What has not gone on for so long does not play."""
STILL_BLOCKS = 2
"""While a hand moves and nothing plays, no more than this is rendered ahead: the next edit throws it away."""
FIRST_BLOCKS = 4
"""So much of a new epoch is rendered before the player has heard of it."""


class RenderSchedule:
    """Times are those of ``time.monotonic``; positions are stream frames of the audition."""

    def __init__(self, audition: Audition) -> None:
        self._audition = audition
        self.heard = 0
        """Where the ear was last."""
        self._went_on = 0.0
        self._credit = self._near = 0
        self._epoch = audition.epoch
        self._sent = 0
        self._edited = self._rewound = self._sought = 0.0
        self._moves_on = False
        self._playing: bool | None = None
        self._taken_up = 0

    # ---- what is told

    def grant(
        self, epoch: int, position: int, heard: int, near: int | None = None, playing: bool | None = None
    ) -> bool:
        """The player has room up to a position; False where it means what was played before a seek.

        Args:
            near: up to where it wants to be sure of the sound; all of it where nothing is said.
            playing: whether it is meant to play, also where it waits for sound; where nothing is said, whether it does.
        """
        if epoch < self._epoch:
            return False
        heard = self.possible(heard)
        most = heard + round(MOST_AHEAD_S * self._audition.rate_hz)
        self._credit, self._epoch = min(position, most), epoch
        self._near = self._credit if near is None else min(near, self._credit)
        self._playing = playing
        if heard != self.heard:
            self.heard, self._went_on = heard, time.monotonic()
            self._audition.follow(heard)
        return True

    def edited(self) -> None:
        """An edit came."""
        now = time.monotonic()
        self._moves_on, self._edited = now - self._edited < MOVES_ON_S, now

    def rewinds(self) -> None:
        """An edit is taken up now."""
        self._rewound = time.monotonic()

    def rewound(self) -> None:
        """What is rendered next is the new sound."""
        self._taken_up = self._audition.position

    def follow(self) -> None:
        """Go on in the audition's epoch: what a player grants before it has heard of that is meant for the old one."""
        audition = self._audition
        if self._epoch != audition.epoch:
            self._epoch, self._sent = audition.epoch, audition.position
            self._sought = time.monotonic()
            self._credit = self._near = audition.position + FIRST_BLOCKS * audition.block_frames

    def gave(self) -> None:
        """All that was rendered is on its way."""
        self._sent = max(self._sent, self._audition.position)

    # ---- what follows from it

    def possible(self, heard: int) -> int:
        """Nobody can have heard what was not rendered yet."""
        return min(heard, self._audition.position)

    def lacks(self) -> bool:
        """Whether sound is missing near the ear."""
        return self._epoch == self._audition.epoch and self._audition.position < self._wanted()

    def has_room(self) -> bool:
        """Whether there is room for more, far from the ear, and no edit is on its way that would throw it away."""
        if self._epoch != self._audition.epoch:
            return False
        rests_s = time.monotonic() - max(self._edited, self._rewound, self._sought) - REST_S
        grown = self.heard + self._cushion() + round(GROWS * rests_s * self._audition.rate_hz)
        return rests_s >= 0.0 and self._audition.position < min(self._credit, grown)

    def is_due(self, renders: bool) -> bool:
        """Whether an edit may be taken up already; ``renders``: whether what lacks is being rendered."""
        since_s = time.monotonic() - self._rewound
        if since_s >= (LONGEST_REWIND_GAP_S if self._has_cushion() or not self._plays() else LONGEST_WAIT_S):
            return True
        return since_s >= (REWIND_GAP_S if self._plays() else STILL_GAP_S) and (not renders or self._is_enough())

    def patience_s(self, waits: bool) -> float | None:
        """When to look again at the latest: where an edit ``waits``, or for the hand to rest."""
        if waits:
            return REWIND_GAP_S
        if self._hand_moves():
            return HAND_S
        return LOOKS_S if self._audition.position < self._credit else None

    def _is_enough(self) -> bool:
        """Whether enough of what is to be near the ear is there."""
        near, new = self._near - self.heard, self._audition.position - self.heard
        if not self._has_cushion():
            return new >= CAUGHT_UP * max(near, self._cushion())
        return new >= CAUGHT_UP * near if self._moves_on else self._sent - self.heard >= LEFT_AHEAD * near

    def _cushion(self) -> int:
        """What is to lie ahead of an ear that plays, old sound or new, in frames."""
        return min(round(CUSHION_S * self._audition.rate_hz), self._credit - self.heard)

    def _has_cushion(self) -> bool:
        return self._sent - self.heard >= self._cushion()

    def _wanted(self) -> int:
        """Up to where to render at once."""
        if not self._hand_moves():
            return max(self._near, self.heard + self._cushion()) if self._plays() else self._near
        return min(self._near, self._taken_up + STILL_BLOCKS * self._audition.block_frames)

    def _hand_moves(self) -> bool:
        """Whether a hand moves while nothing plays."""
        return time.monotonic() - self._rewound < HAND_S and not self._plays()

    def _plays(self) -> bool:
        """Whether what is heard goes on, or would if there were sound."""
        if self._playing is not None:
            return self._playing
        return time.monotonic() - self._went_on <= STILL_S
