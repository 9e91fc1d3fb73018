"""Hits and tones told apart by their shape in the spectrogram: hits stand upright, tones lie.

The median over neighbouring frequencies keeps what is broad and brief, the median over neighbouring times what is
narrow and lasting (Fitzgerald 2010, *Harmonic/percussive separation using median filtering*); what is clearly neither
is the rest (Driedger, Müller and Disch 2014, *Extending harmonic-percussive separation of audio signals*).
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from tin_kettle.core.dsp.compile import inline, kernel

NINE = 9
"""Values that a median is taken of."""
CLEARLY = 4.0
"""How much larger, as power, one median has to be than the other for half of a bin to go its way."""
_FLOOR = 1e-30


@inline
def _median(a: float, b: float, c: float, d: float, e: float, f: float, g: float, h: float, i: float) -> float:
    """Median of nine by exchanges (Paeth 1990, *Median finding on a 3 × 3 grid*)."""
    a, b = min(a, b), max(a, b)
    d, e = min(d, e), max(d, e)
    g, h = min(g, h), max(g, h)
    b, c = min(b, c), max(b, c)
    e, f = min(e, f), max(e, f)
    h, i = min(h, i), max(h, i)
    a, b = min(a, b), max(a, b)
    d, e = min(d, e), max(d, e)
    g, h = min(g, h), max(g, h)
    # three sorted threes: the largest of the least, the median of the middles, the least of the largest
    lowest = max(max(a, d), g)
    highest = min(min(c, f), i)
    middle = max(min(b, e), min(max(b, e), h))
    return max(min(lowest, middle), min(max(lowest, middle), highest))


@kernel("void(float64[:, ::1], float64[::1], int64, float64[:, ::1])")
def parts(around: NDArray[np.float64], power: NDArray[np.float64], apart: int, out: NDArray[np.float64]) -> None:
    """How much of every bin belongs to hits, and how much to tones; both together at most 1.

    Args:
        around: (9, bins) power of the frames around this one, in any order.
        power: (bins,) of the frame itself.
        apart: distance in bins of the nine neighbours.
        out: (2, bins) shares of hits and tones.
    """
    bins = power.shape[0]
    edge = 4 * apart
    wide = np.empty(bins + 2 * edge)
    for k in range(edge):
        # beyond the ends it goes on as a mirror image
        wide[edge - 1 - k] = power[min(k + 1, bins - 1)]
        wide[edge + bins + k] = power[max(bins - 2 - k, 0)]
    wide[edge : edge + bins] = power
    w0 = wide[0:]
    w1 = wide[apart:]
    w2 = wide[2 * apart :]
    w3 = wide[3 * apart :]
    w4 = wide[4 * apart :]
    w5 = wide[5 * apart :]
    w6 = wide[6 * apart :]
    w7 = wide[7 * apart :]
    w8 = wide[8 * apart :]
    t0, t1, t2, t3, t4 = around[0], around[1], around[2], around[3], around[4]
    t5, t6, t7, t8 = around[5], around[6], around[7], around[8]
    hits = out[0]
    tones = out[1]
    for i in range(bins):
        upright = _median(w0[i], w1[i], w2[i], w3[i], w4[i], w5[i], w6[i], w7[i], w8[i]) + _FLOOR
        lying = _median(t0[i], t1[i], t2[i], t3[i], t4[i], t5[i], t6[i], t7[i], t8[i]) + _FLOOR
        hits[i] = upright / (upright + CLEARLY * lying)
        tones[i] = lying / (lying + CLEARLY * upright)


@kernel("void(complex128[:, ::1], float64[::1], complex128[:, ::1])")
def weighed(spectrum: NDArray[np.complex128], share: NDArray[np.float64], out: NDArray[np.complex128]) -> None:
    """Both rows of a spectrum times a share a bin."""
    for row in range(2):
        x = spectrum[row]
        y = out[row]
        for i in range(share.shape[0]):
            y[i] = x[i] * share[i]
