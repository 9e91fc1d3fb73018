"""Fourier and cosine transforms, along the last axis. The library of them loads when one is first computed."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray


def rfft(x: NDArray[Any]) -> NDArray[Any]:
    """Spectrum of real samples, (…, frames) to (…, frames // 2 + 1); the precision is that of the samples."""
    from scipy import fft  # noqa: PLC0415  takes a third of a second

    return np.asarray(fft.rfft(x))


def irfft(spectrum: NDArray[Any], frames: int) -> NDArray[Any]:
    """The way back, to so many samples; the spectrum is written over."""
    from scipy import fft  # noqa: PLC0415

    return np.asarray(fft.irfft(spectrum, frames, overwrite_x=True))


def dct(x: NDArray[Any], kind: int) -> NDArray[Any]:
    """Cosine transform of type 1 to 4."""
    from scipy import fft  # noqa: PLC0415

    return np.asarray(fft.dct(x, kind))
