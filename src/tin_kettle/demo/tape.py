"""Stereo tracks that notes are put on, and the room they stand in."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from scipy.signal import oaconvolve

from tin_kettle.demo import instruments as play
from tin_kettle.demo.instruments import RATE_HZ, Note


class Tape:
    """A stereo track that notes are put on."""

    def __init__(self, seconds: float) -> None:
        self.samples = np.zeros((2, round(seconds * RATE_HZ)))

    def put(self, note: Note, at_s: float, gain: float, pan: float = 0.0, spread_ms: float = 0.0) -> None:
        """Add a note; ``pan`` from −1 left to +1 right, ``spread_ms`` lets the right side hear it later."""
        angle = (1.0 + pan) * np.pi / 4.0
        for channel, share in ((0, np.cos(angle)), (1, np.sin(angle))):
            start = round((at_s + channel * spread_ms / 1000.0) * RATE_HZ)
            stop = min(start + note.size, self.samples.shape[1])
            if 0 <= start < stop:
                self.samples[channel, start:stop] += gain * share * note[: stop - start]


def in_room(samples: NDArray[np.float64], share: float) -> NDArray[np.float64]:
    """A track with its share of the boat shed, (2, frames)."""
    frames = samples.shape[1]
    wet = np.stack([oaconvolve(samples[c], play.room_response(90 + c))[:frames] for c in range(2)])
    return np.asarray(samples + share * wet)
