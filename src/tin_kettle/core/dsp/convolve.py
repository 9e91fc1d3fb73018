"""Convolution with long symmetric responses in equal partitions (Stockham 1966; uniform partitions, overlap-save).

Partitions begin at fixed positions of the stream, so that the result does not depend on the blocks that it came in.
What is remembered is never written to, so that a copy of a convolver shares all of it.
"""

from __future__ import annotations

from functools import lru_cache
from typing import Self

import numpy as np
from numpy.typing import NDArray

from tin_kettle.core.dsp.compile import kernel
from tin_kettle.core.dsp.delay import History
from tin_kettle.core.dsp.state_copy import twin_of
from tin_kettle.core.dsp.transforms import dct


def partitioned(taps: NDArray[np.float64], parts: int) -> NDArray[np.float64]:
    """Spectra of the partitions of symmetric responses.

    Args:
        taps: of :func:`symmetric_taps`, (rows, ``parts`` / 2 partitions and a tap).

    Returns:
        (``parts``, rows, 2, frames of a partition + 1); real and imaginary parts apart, so that products of them
        vectorise.
    """
    half, part = parts // 2, 2 * (taps.shape[1] - 1) // parts
    later = taps[:, :-1].reshape(len(taps), half, part).transpose(1, 0, 2)
    spectra = np.fft.rfft(later, 2 * part)
    apart = np.empty((parts, len(taps), 2, part + 1))
    apart[half:, :, 0], apart[half:, :, 1] = spectra.real, spectra.imag
    # what comes before the middle runs backwards, and each partition of it from the next one's first tap
    first, last = taps[:, :-1:part].T, taps[:, part::part].T
    backwards = np.where(np.arange(part + 1) % 2, -1.0, 1.0)
    apart[half - 1 :: -1, :, 0] = backwards * (spectra.real - first[..., np.newaxis]) + last[..., np.newaxis]
    apart[half - 1 :: -1, :, 1] = -backwards * spectra.imag
    return apart


def _apart(spectrum: NDArray[np.complex128]) -> NDArray[np.float64]:
    return np.ascontiguousarray(np.stack([spectrum.real, spectrum.imag], axis=-2))


@kernel("void(float64[:, :, ::1], float64[:, :, ::1], float64[:, :, ::1])")
def _multiply_up(spectrum: NDArray[np.float64], response: NDArray[np.float64], out: NDArray[np.float64]) -> None:
    """Add input spectrum times response, (2, 2, bins): a row for both, one for each, or four, each also the other's."""
    rows = response.shape[0]
    for row in range(2):
        a = out[row, 0]
        b = out[row, 1]
        for source in range(max(rows // 2, 1)):
            x = spectrum[(row + source) % 2, 0]
            y = spectrum[(row + source) % 2, 1]
            own = min(2 * source + row, rows - 1)
            u = response[own, 0]
            v = response[own, 1]
            for i in range(x.shape[0]):
                a[i] += x[i] * u[i] - y[i] * v[i]
                b[i] += x[i] * v[i] + y[i] * u[i]


class Convolver:
    """Convolves a stereo stream, a partition late."""

    def __init__(self, parts: int, part: int) -> None:
        self.part = part
        self._spectra: tuple[NDArray[np.float64] | None, ...] = (None,) * parts
        self._before = np.zeros((2, part))
        self._coming = History(part)
        self._fill = 0
        self._ready = np.zeros((2, part))

    def fork(self) -> Self:
        """A copy that goes on from the same state."""
        twin = twin_of(self)
        twin._coming = self._coming.fork()
        return twin

    def process(self, block: NDArray[np.float64], response: NDArray[np.float64]) -> NDArray[np.float64]:
        """The next (2, frames).

        Args:
            response: of :func:`partitioned`, as many partitions or less, which then lie in the middle; its rows are
                left → left and right → right (or one that is both), then, where left and right mix, right → left and
                left → right.
        """
        out = np.empty(block.shape)
        done = 0
        while done < block.shape[1]:
            run = min(self.part - self._fill, block.shape[1] - done)
            self._coming.push(block[:, done : done + run])
            out[:, done : done + run] = self._ready[:, self._fill : self._fill + run]
            done += run
            self._fill += run
            if self._fill == self.part:
                self._turn(response)
        return out

    def _turn(self, response: NDArray[np.float64]) -> None:
        """A partition is full: what it and those before it sound like from here on."""
        came = self._coming.heard()
        newest = _apart(np.fft.rfft(np.concatenate([self._before, came], axis=1)))
        self._spectra = (newest, *self._spectra[:-1])
        self._before, self._fill = came, 0
        self.renew(response)

    def renew(self, response: NDArray[np.float64]) -> None:
        """Go over to another response at once, not with the next partition."""
        total = np.zeros((2, 2, self.part + 1))
        before = (len(self._spectra) - len(response)) // 2
        for spectrum, part in zip(self._spectra[before:], response, strict=False):
            if spectrum is not None:
                _multiply_up(spectrum, part, total)
        self._ready = np.fft.irfft(total[:, 0] + 1j * total[:, 1])[:, self.part :]


def symmetric_taps(magnitude: NDArray[np.float64]) -> NDArray[np.float64]:
    """Symmetric responses from magnitudes from DC to half the rate.

    Args:
        magnitude: (rows, bins); may be negative.

    Returns:
        (rows, bins): the middle and what comes after it, under a window that is flat over its first half and lets the
        response end softly, in nought (Tukey).
    """
    return np.asarray(dct(magnitude, 1) * _window(magnitude.shape[1]))


@lru_cache(maxsize=8)
def _window(bins: int) -> NDArray[np.float64]:
    falling = 0.5 - 0.5 * np.cos(np.pi * np.minimum(np.linspace(2.0, 0.0, bins), 1.0))
    return falling / (2 * (bins - 1))  # the transform's own scale
