"""Convolution with long symmetric responses in equal partitions (Stockham 1966; uniform partitions, overlap-save).

Partitions begin at fixed positions of the stream, so that the result does not depend on the blocks that it came in.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from tin_kettle.core.dsp.compile import kernel

PARTS = 16
"""Partitions of a response: what a frame costs, and how late it comes in time, are the same at every rate."""


def partitioned(taps: NDArray[np.float64]) -> NDArray[np.complex128]:
    """Spectra of the partitions of two responses: (2, taps) → (``PARTS``, 2, taps / ``PARTS`` + 1)."""
    parts = taps.reshape(2, PARTS, -1).transpose(1, 0, 2)
    return np.ascontiguousarray(np.fft.rfft(parts, 2 * parts.shape[2]))


def convolver_state(part: int) -> dict[str, NDArray[np.generic]]:
    """What :func:`convolve` remembers, with ``part`` frames a partition."""
    return {
        "pending": np.zeros((2, 2 * part)),
        "ready": np.zeros((2, part)),
        "spectra": np.zeros((PARTS, 2, part + 1), dtype=np.complex128),
        "at": np.zeros(2, dtype=np.int64),
    }


@kernel("void(complex128[:, :, ::1], complex128[:, :, ::1], int64, complex128[:, ::1])")
def _multiply_up(
    spectra: NDArray[np.complex128], response: NDArray[np.complex128], newest: int, out: NDArray[np.complex128]
) -> None:
    """Sum over the partitions of input spectrum times response; ``spectra[newest]`` is the latest."""
    parts = spectra.shape[0]
    out[:] = 0.0
    for p in range(parts):
        at = (newest - p) % parts
        for row in range(2):
            x = spectra[at, row]
            h = response[p, row]
            y = out[row]
            for i in range(x.shape[0]):
                y[i] += x[i] * h[i]


def convolve(
    block: NDArray[np.float64], response: NDArray[np.complex128], state: dict[str, NDArray[np.generic]]
) -> NDArray[np.float64]:
    """The next (2, frames), a partition late.

    Args:
        response: of :func:`partitioned`.
        state: of :func:`convolver_state`, changed in place.
    """
    pending, ready, spectra, at = (state[name] for name in ("pending", "ready", "spectra", "at"))
    part = ready.shape[1]
    out = np.empty_like(block)
    done = 0
    while done < block.shape[1]:
        fill = int(at[0])
        run = min(part - fill, block.shape[1] - done)
        pending[:, part + fill : part + fill + run] = block[:, done : done + run]
        out[:, done : done + run] = ready[:, fill : fill + run]
        done += run
        at[0] = fill + run
        if fill + run == part:
            newest = (int(at[1]) + 1) % len(spectra)
            spectra[newest] = np.fft.rfft(pending)
            total = np.empty((2, part + 1), dtype=np.complex128)
            _multiply_up(spectra, response, newest, total)  # type: ignore[arg-type]
            ready[:] = np.fft.irfft(total)[:, part:]
            pending[:, :part] = pending[:, part:]
            at[:] = 0, newest
    return out


def symmetric_taps(magnitude: NDArray[np.float64]) -> NDArray[np.float64]:
    """A symmetric response of 2·(bins − 1) taps, its first one nought, from magnitudes from DC to half the rate.

    Args:
        magnitude: (2, bins).

    Returns:
        (2, taps), centred on tap ``taps // 2``, under a Kaiser window (β = 6) that lets it end softly.
    """
    taps = 2 * (magnitude.shape[1] - 1)
    centred = np.fft.fftshift(np.fft.irfft(magnitude), axes=1)
    window = np.kaiser(taps + 1, 6.0)[:taps]
    centred *= window
    centred[:, 0] = 0.0
    return np.asarray(centred)
