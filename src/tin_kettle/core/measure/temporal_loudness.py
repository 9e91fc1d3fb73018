"""How hearing follows a sound in time: what rings on in the ear, and how slowly loudness is felt (ISO 532-1)."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from tin_kettle.core.dsp.compile import inline, kernel
from tin_kettle.core.measure.third_octaves import STEPS_PER_S

_SHORT_S, _LONG_S, _VARIABLE_S = 0.005, 0.015, 0.075
"""Of the network that a masker charges."""
_FINE = 24
"""Steps in between, along which values go straight."""
_QUICK_S, _SLOW_S, _QUICK_SHARE = 0.0035, 0.07, 0.47
"""Of what is felt."""


@inline
def _decay_weights(span_s: float, out: NDArray[np.float64]) -> None:
    p = (_VARIABLE_S + _LONG_S) / (_VARIABLE_S * _SHORT_S)
    q = 1.0 / (_SHORT_S * _VARIABLE_S)
    root = np.sqrt(p * p / 4.0 - q)
    first, second = root - p / 2.0, -root - p / 2.0
    scale = _VARIABLE_S * (first - second)
    e1, e2 = np.exp(first * span_s), np.exp(second * span_s)
    out[0] = (e1 - e2) / scale
    out[1] = ((_VARIABLE_S * second + 1.0) * e1 - (_VARIABLE_S * first + 1.0) * e2) / scale
    out[2] = ((_VARIABLE_S * first + 1.0) * e1 - (_VARIABLE_S * second + 1.0) * e2) / scale
    out[3] = (_VARIABLE_S * first + 1.0) * (_VARIABLE_S * second + 1.0) * (e1 - e2) / scale
    out[4] = np.exp(-span_s / _LONG_S)
    out[5] = np.exp(-span_s / _VARIABLE_S)


@kernel("void(float64[:, ::1], float64[:, ::1])")
def ring_on(core: NDArray[np.float64], state: NDArray[np.float64]) -> None:
    """What the ear goes on hearing after a band has fallen, in place: longer after a long sound than after a brief one.

    Args:
        core: (bands, steps + 1) core loudness, at ``STEPS_PER_S``; the last column follows, and is left as it is.
        state: (bands, 2) the two capacitors of the standard's network.
    """
    b = np.empty(6)
    _decay_weights(1.0 / (STEPS_PER_S * _FINE), b)
    for band in range(core.shape[0]):
        row = core[band]
        kept = state[band, 0]
        inner = state[band, 1]
        for i in range(row.shape[0] - 1):
            now = row[i]
            slope = (row[i + 1] - now) / _FINE
            held = 0.0
            for fine in range(_FINE):
                wanted = now + fine * slope
                if wanted < kept:
                    if kept > inner:
                        inner_next = kept * b[0] - inner * b[1]
                        kept = max(kept * b[2] - inner * b[3], wanted)
                        inner = min(inner_next, kept)
                    else:
                        kept = max(kept * b[4], wanted)
                        inner = kept
                else:
                    inner = (inner - wanted) * b[5] + wanted if wanted > inner else wanted
                    kept = wanted
                if fine == 0:
                    held = kept
            row[i] = held
        state[band, 0] = kept
        state[band, 1] = inner


def felt(sone: NDArray[np.float64]) -> NDArray[np.float64]:
    """Loudness as it is felt, (steps,), from that of every step: a quick and a slow follower together."""
    quick, slow = np.empty_like(sone), np.empty_like(sone)
    for time_s, out in ((_QUICK_S, quick), (_SLOW_S, slow)):
        follow_course(sone, float(np.exp(-1.0 / (STEPS_PER_S * _FINE * time_s))), out)
    return _QUICK_SHARE * quick + (1.0 - _QUICK_SHARE) * slow


@kernel("void(float64[::1], float64, float64[::1])")
def follow_course(course: NDArray[np.float64], keep: float, out: NDArray[np.float64]) -> None:
    """One pole over a course that goes straight from value to value, 24 times finer."""
    y = 0.0
    steps = course.shape[0]
    for i in range(steps):
        slope = ((course[i + 1] if i + 1 < steps else 0.0) - course[i]) / _FINE
        for fine in range(_FINE):
            y = (1.0 - keep) * (course[i] + fine * slope) + keep * y
            if fine == 0:
                out[i] = y
