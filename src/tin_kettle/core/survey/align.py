"""Where a new bounce of a bus belongs: by correlation with the old one."""

from __future__ import annotations

import numpy as np

from tin_kettle.core.engine.source import Source

MOST_SHIFT_S = 10.0
LOOKED_AT_S = 60.0
SURE = 0.35
"""Normalised correlation from which on two bounces are taken for the same music."""


def lag_frames(old: Source, new: Source, sure: float = SURE) -> int | None:
    """How many frames later the new bounce plays the same music; None where it does not seem to be the same.

    Cross-correlation of the middle signal, weighted towards its changes, up to 10 s either way.
    """
    rate_hz = old.rate_hz
    frames = min(round(LOOKED_AT_S * rate_hz), max(old.frames, new.frames))
    before, after = (np.diff(source.read(0, frames).mean(axis=0)) for source in (old, new))
    energy = float(np.sqrt(np.dot(before, before) * np.dot(after, after)))
    if energy < 1e-12:
        return None
    size = 1 << (2 * frames - 1).bit_length()
    both = np.fft.irfft(np.fft.rfft(after, size) * np.conj(np.fft.rfft(before, size)), size)
    most = min(round(MOST_SHIFT_S * rate_hz), frames - 1)
    around = np.concatenate([both[-most:], both[: most + 1]])
    at = int(np.argmax(around))
    return at - most if around[at] > sure * energy else None
