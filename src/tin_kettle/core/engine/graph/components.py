"""The component that a stage treats, taken out of left and right and put back."""

from __future__ import annotations

import numpy as np

from tin_kettle.core.dsp.block import Block
from tin_kettle.core.stages.declarations import Channels


def pick(block: Block, channels: Channels) -> Block:
    """The component that a stage treats, (2, frames); mid, side, left and right stand in both rows."""
    if channels == "stereo":
        return np.ascontiguousarray(block)
    if channels in ("left", "right"):
        row = block[0 if channels == "left" else 1]
    else:
        row = 0.5 * (block[0] + block[1]) if channels == "mid" else 0.5 * (block[0] - block[1])
    return np.stack([row, row])


def place(part: Block, channels: Channels) -> Block:
    """A component where it belongs in left and right, with nothing in the others."""
    out = part.copy()
    if channels == "side":
        out[1] *= -1.0
    elif channels in ("left", "right"):
        out[1 if channels == "left" else 0] = 0.0
    return out


def rejoin(treated: Block, untouched: Block, channels: Channels) -> Block:
    """Left and right again, from the treated component and the aligned (2, frames) input."""
    if channels == "stereo":
        return treated
    out = untouched.copy()
    if channels in ("left", "right"):
        row = 0 if channels == "left" else 1
        out[row] = treated[row]
        return out
    mid = treated[0] if channels == "mid" else 0.5 * (untouched[0] + untouched[1])
    side = treated[0] if channels == "side" else 0.5 * (untouched[0] - untouched[1])
    np.add(mid, side, out=out[0])
    np.subtract(mid, side, out=out[1])
    return out
