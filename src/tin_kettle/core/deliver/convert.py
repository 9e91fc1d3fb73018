"""Rate conversion and the band-limit, both linear phase, aligned to the sample and as long as they should be."""

from __future__ import annotations

import math
from collections.abc import Iterator

import numpy as np
import soxr
from numpy.typing import NDArray

from tin_kettle.core.dsp.block import Block

PIECE_FRAMES = 8192
BAND_EDGE_HZ, STOP_HZ, STOP_DB = 20600.0, 21900.0, 120.0


def in_pieces(blocks: Iterator[Block], frames: int = PIECE_FRAMES) -> Iterator[Block]:
    """The same samples in pieces of one size, so that what follows does not depend on the engine's blocks."""
    kept: list[Block] = []
    held = 0
    for block in blocks:
        kept.append(block)
        held += block.shape[1]
        if held >= frames:
            joined = np.concatenate(kept, axis=1)
            whole = held - held % frames
            for at in range(0, whole, frames):
                yield np.ascontiguousarray(joined[:, at : at + frames])
            kept, held = [joined[:, whole:]], held - whole
    if held:
        yield np.concatenate(kept, axis=1)


def converted_frames(frames: int, from_hz: int, to_hz: int) -> int:
    """Length after conversion: the last partial frame counts."""
    return -(-frames * to_hz // from_hz)


def convert_rate(blocks: Iterator[Block], frames: int, from_hz: int, to_hz: int) -> Iterator[Block]:
    """Blocks at another rate, aligned at the first sample and ``converted_frames`` long."""
    converter = soxr.ResampleStream(from_hz, to_hz, 2, dtype="float64", quality="VHQ")
    missing = converted_frames(frames, from_hz, to_hz)
    for piece in in_pieces(blocks):
        made = np.ascontiguousarray(converter.resample_chunk(np.ascontiguousarray(piece.T)).T)[:, :missing]
        missing -= made.shape[1]
        if made.shape[1]:
            yield made
    rest = np.ascontiguousarray(converter.resample_chunk(np.zeros((0, 2)), last=True).T)[:, :missing]
    yield np.concatenate([rest, np.zeros((2, missing - rest.shape[1]))], axis=1)


def _kaiser_low_pass(corner: float, width: float) -> NDArray[np.float64]:
    """Odd, symmetric taps of unit sum; corner and width of the slope as shares of the rate (Kaiser 1974)."""
    taps = math.ceil((STOP_DB - 7.95) / (2.285 * 2.0 * math.pi * width)) | 1
    at = np.arange(taps) - taps // 2
    response = 2.0 * corner * np.sinc(2.0 * corner * at) * np.kaiser(taps, 0.1102 * (STOP_DB - 8.7))
    return np.asarray(response / math.fsum(response))


def band_limit(blocks: Iterator[Block], rate_hz: float) -> Iterator[Block]:
    """Take out what lies above 20.6 kHz, where peaks between samples depend on who looks for them.

    Kaiser window, 120 dB down at 21.9 kHz or at half the rate where that is lower; nothing to do below 41.2 kHz.
    """
    if rate_hz / 2.0 <= BAND_EDGE_HZ:
        yield from blocks
        return
    stop_hz = min(STOP_HZ, rate_hz / 2.0)
    response = _kaiser_low_pass(0.5 * (BAND_EDGE_HZ + stop_hz) / rate_hz, (stop_hz - BAND_EDGE_HZ) / rate_hz)
    taps = len(response)
    late = taps // 2
    size = 1 << math.ceil(math.log2(PIECE_FRAMES + taps))
    spectrum = np.fft.rfft(response, size)
    history = np.zeros((2, taps - 1))
    skip = late

    def convolve(piece: Block) -> Block:
        nonlocal history
        joined = np.concatenate([history, piece], axis=1)
        history = joined[:, joined.shape[1] - (taps - 1) :]
        made = np.fft.irfft(np.fft.rfft(joined, size) * spectrum, size)
        return np.ascontiguousarray(made[:, taps - 1 : joined.shape[1]])

    def delayed_pieces() -> Iterator[Block]:
        yield from in_pieces(blocks)
        for at in range(0, late, PIECE_FRAMES):
            yield np.zeros((2, min(PIECE_FRAMES, late - at)))

    for piece in delayed_pieces():
        made = convolve(piece)
        dropped = min(skip, made.shape[1])
        skip -= dropped
        if dropped < made.shape[1]:
            yield np.ascontiguousarray(made[:, dropped:])
