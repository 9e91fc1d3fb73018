"""Logarithm and exponential over arrays, as polynomials that vectorise.

``log2`` uses the series of the inverse hyperbolic tangent on a mantissa in [√½, √2): eight odd terms,
error below 1e-13. ``exp2`` uses the Taylor series on [−½, ½] to the eleventh order, error below 1e-14.
"""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from tin_kettle.core.dsp.compile import bits_float, float_bits, inline, kernel

DB_PER_OCTAVE = 20.0 * math.log10(2.0)
"""One doubling of amplitude in dB."""
FLOOR = 1e-10
"""Amplitudes below −200 dB read as −200 dB."""

_MANTISSA = (1 << 52) - 1
_ROUNDING = 1.5 * 2.0**52
_SQRT2_BITS = 0x6A09E667F3BCD
_C = [math.log(2.0) ** k / math.factorial(k) for k in range(12)]
_E1, _E2, _E3, _E4, _E5, _E6, _E7, _E8, _E9, _E10, _E11 = _C[1:]
_L = [2.0 / (k * math.log(2.0)) for k in (1, 3, 5, 7, 9, 11, 13, 15)]
_L1, _L3, _L5, _L7, _L9, _L11, _L13, _L15 = _L


@inline
def log2(x: float) -> float:
    """Binary logarithm of a positive normal number."""
    bits = float_bits(x)
    mantissa = bits & _MANTISSA
    # a mantissa above √2 moves up one octave, so that the series stays short
    up = (mantissa + (0xFFFFFFFFFFFFF - _SQRT2_BITS)) >> 52
    m = bits_float(mantissa | ((1023 - up) << 52))
    octave = (bits >> 52) - 1023 + up
    t = (m - 1.0) / (m + 1.0)
    s = t * t
    p = _L15
    p = p * s + _L13
    p = p * s + _L11
    p = p * s + _L9
    p = p * s + _L7
    p = p * s + _L5
    p = p * s + _L3
    p = p * s + _L1
    return octave + t * p


@inline
def exp2(x: float) -> float:
    """Two to the power of x, for −1000 < x < 1000."""
    # a number this large has no room for fractions: what it takes in is rounded, and stands in its lowest bits
    rounded = x + _ROUNDING
    f = x - (rounded - _ROUNDING)
    p = _E11
    p = p * f + _E10
    p = p * f + _E9
    p = p * f + _E8
    p = p * f + _E7
    p = p * f + _E6
    p = p * f + _E5
    p = p * f + _E4
    p = p * f + _E3
    p = p * f + _E2
    p = p * f + _E1
    p = p * f + 1.0
    return p * bits_float((float_bits(rounded) + 1023) << 52)


@kernel("void(float64[:, ::1], float64[:, ::1], float64)")
def apply_db(block: NDArray[np.float64], gain_db: NDArray[np.float64], static_db: float) -> None:
    """Multiply (2, frames) in place by 10^((gain_db + static_db)/20); 0 dB multiplies by exactly 1.

    Args:
        gain_db: (2, frames), or (1, frames) for both.
    """
    if gain_db.shape[0] == 1:
        a = block[0]
        b = block[1]
        shared = gain_db[0]
        for i in range(a.shape[0]):
            gain = exp2((shared[i] + static_db) / DB_PER_OCTAVE)
            a[i] *= gain
            b[i] *= gain
        return
    for channel in range(2):
        x = block[channel]
        g = gain_db[channel]
        for i in range(x.shape[0]):
            x[i] *= exp2((g[i] + static_db) / DB_PER_OCTAVE)


@kernel("void(float64[::1], float64[::1])")
def gains(level_db: NDArray[np.float64], out: NDArray[np.float64]) -> None:
    """Linear gains of levels in dB, (frames,)."""
    for i in range(out.shape[0]):
        out[i] = exp2(level_db[i] / DB_PER_OCTAVE)


def gains_of(level_db: float | NDArray[np.float64]) -> float | NDArray[np.float64]:
    """The same as a new array, or the gain of the one level that there is."""
    if isinstance(level_db, float):
        return db_to_gain(level_db)
    out = np.empty(level_db.size)
    gains(np.ascontiguousarray(level_db), out)
    return out


@kernel("void(float64[:, ::1], float64[::1], float64[::1])")
def apply_balance(block: NDArray[np.float64], gain_db: NDArray[np.float64], balance: NDArray[np.float64]) -> None:
    """Multiply (2, frames) in place by a gain of its own for every frame, and turn one side down.

    Args:
        gain_db: (frames,).
        balance: (frames,) −1 … 1; left × min(1, 1 − b), right × min(1, 1 + b).
    """
    a = block[0]
    b = block[1]
    for i in range(a.shape[0]):
        gain = exp2(gain_db[i] / DB_PER_OCTAVE)
        a[i] *= gain * min(1.0, 1.0 - balance[i])
        b[i] *= gain * min(1.0, 1.0 + balance[i])


@kernel("void(float64[:, ::1], float64[:, ::1], float64[::1], float64[:, ::1])")
def mix_in(
    dry: NDArray[np.float64], wet: NDArray[np.float64], mix: NDArray[np.float64], out: NDArray[np.float64]
) -> None:
    """Into ``out``, (2, frames): (1 − m)·dry + m·wet, with a mix of its own for every frame."""
    for row in range(2):
        x = dry[row]
        y = wet[row]
        z = out[row]
        for i in range(x.shape[0]):
            z[i] = (1.0 - mix[i]) * x[i] + mix[i] * y[i]


def db_to_gain(value_db: float) -> float:
    """Linear gain of a value in dB."""
    return float(10.0 ** (value_db / 20.0))


def gain_to_db(gain: float) -> float:
    """dB of a linear gain; silence reads −200 dB."""
    return 20.0 * math.log10(max(abs(gain), FLOOR))
