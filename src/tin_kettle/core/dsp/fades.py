"""Fades in and out of a song, as functions of the frame."""

from __future__ import annotations

from typing import Literal

import numpy as np
from numpy.typing import NDArray

FadeShape = Literal["line", "smooth", "power"]
"""``line`` rises evenly, ``smooth`` by half a cosine, ``power`` by a quarter of a sine: where two of these cross, what
has nothing in common keeps its power."""


def fade_gains(
    start: int, frames: int, length: int, fade_in: float, fade_out: float, shape: FadeShape
) -> NDArray[np.float64]:
    """Gains of (frames,) from a frame of a song of so many frames on; fades are in frames, 0 for none."""
    at = start + np.arange(frames)
    share = np.clip(at / fade_in, 0.0, 1.0) if fade_in >= 1.0 else np.ones(frames)
    if fade_out >= 1.0:
        share = np.minimum(share, np.clip((length - 1 - at) / fade_out, 0.0, 1.0))
    if shape == "line":
        return np.asarray(share)
    return np.asarray(np.sin(0.5 * np.pi * share) if shape == "power" else 0.5 - 0.5 * np.cos(np.pi * share))
