"""Levels of a sound as several detectors hear it, each its own component through its own filter, in one pass."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from tin_kettle.core.dsp.compile import kernel
from tin_kettle.core.dsp.decibels import DB_PER_OCTAVE, FLOOR, log2
from tin_kettle.core.dsp.svf import FLUSH, section_matrix

STEREO, LEFT, RIGHT, MID, SIDE = 0, 1, 2, 3, 4
_CHUNK = 512


@kernel("void(float64[:, ::1], int64[::1], int64[::1], float64[:, :, ::1], float64[:, :, :, ::1], float64[:, ::1])")
def heard_levels(
    block: NDArray[np.float64],
    components: NDArray[np.int64],
    counts: NDArray[np.int64],
    sections: NDArray[np.float64],
    state: NDArray[np.float64],
    level_db: NDArray[np.float64],
) -> None:
    """20·log10|x| of every sample after each detector's filter, of a stereo one the louder side.

    Args:
        block: (2, frames).
        components: (detectors,) ``STEREO`` … ``SIDE``.
        counts: (detectors,) of its sections.
        sections: (detectors, at least as many, 5) rows for :func:`tin_kettle.core.dsp.svf.svf_cascade`.
        state: (detectors, at least as many, 2, 2) per section and row the two integrators; of one component the first.
        level_db: (detectors, frames) out; silence reads −200 dB.
    """
    heard = np.empty((2, _CHUNK))
    a = heard[0]
    b = heard[1]
    m = np.empty(9)
    for detector in range(components.shape[0]):
        component = components[detector]
        for start in range(0, block.shape[1], _CHUNK):
            x = block[0, start : start + _CHUNK]
            y = block[1, start : start + _CHUNK]
            run = x.shape[0]
            if component == STEREO:
                a[:run] = x
                b[:run] = y
            elif component == LEFT:
                a[:run] = x
            elif component == RIGHT:
                a[:run] = y
            else:
                sign = 1.0 if component == MID else -1.0
                for i in range(run):
                    a[i] = 0.5 * (x[i] + sign * y[i])
            for s in range(counts[detector]):
                section_matrix(sections[detector, s], m)
                p0, p1, p2, p3, p4, p5, p6, p7, p8 = m[0], m[1], m[2], m[3], m[4], m[5], m[6], m[7], m[8]
                kept = state[detector, s]
                l1, l2, r1, r2 = kept[0, 0], kept[0, 1], kept[1, 0], kept[1, 1]
                if component == STEREO:
                    for i in range(run):
                        u = a[i]
                        a[i] = p8 * u + p6 * l1 + p7 * l2
                        l = p2 * u + p0 * l1 + p1 * l2
                        l2 = p5 * u + p3 * l1 + p4 * l2
                        l1 = l
                        v = b[i]
                        b[i] = p8 * v + p6 * r1 + p7 * r2
                        r = p2 * v + p0 * r1 + p1 * r2
                        r2 = p5 * v + p3 * r1 + p4 * r2
                        r1 = r
                else:
                    for i in range(run):
                        u = a[i]
                        a[i] = p8 * u + p6 * l1 + p7 * l2
                        l = p2 * u + p0 * l1 + p1 * l2
                        l2 = p5 * u + p3 * l1 + p4 * l2
                        l1 = l
                if abs(l1) + abs(l2) < FLUSH:
                    l1 = 0.0
                    l2 = 0.0
                if abs(r1) + abs(r2) < FLUSH:
                    r1 = 0.0
                    r2 = 0.0
                kept[0, 0], kept[0, 1], kept[1, 0], kept[1, 1] = l1, l2, r1, r2
            out = level_db[detector, start : start + _CHUNK]
            if component == STEREO:
                for i in range(run):
                    out[i] = DB_PER_OCTAVE * log2(max(max(abs(a[i]), abs(b[i])), FLOOR))
            else:
                for i in range(run):
                    out[i] = DB_PER_OCTAVE * log2(max(abs(a[i]), FLOOR))
