"""Cascades of second-order sections in state-variable form.

The trapezoidal state-variable filter keeps its precision at 10 Hz and 192 kHz and stays quiet while its
corner moves (Zavalishin, *The Art of VA Filter Design*, chapter 4). A section is a row
``(g, k, c0, c1, c2)``: H(s) = (c0·s² + c1·s + c2) / (s² + k·s + 1), with s = (z − 1)/(g·(z + 1)).
Any digital second-order section can be written so.
"""

from __future__ import annotations

import cmath
import math

import numpy as np
from numpy.typing import NDArray

from tin_kettle.core.dsp.compile import inline, kernel

FLUSH = 1e-25
"""States below this are silence; without it their decay would end in slow denormal numbers."""
_STRIDE = 128
IDENTITY = (1.0, 1.0, 1.0, 1.0, 1.0)
"""A section that gives back what it gets, bit for bit."""

Sections = NDArray[np.float64]
"""(sections, 5)."""


def both_rows(sections: Sections) -> NDArray[np.float64]:
    """The same sections for both rows, (sections, 2, 5) for :func:`svf_rows`."""
    return np.ascontiguousarray(np.stack([sections, sections], axis=1))


def svf_cascade(block: NDArray[np.float64], sections: Sections, state: NDArray[np.float64]) -> None:
    """Filter both rows in place with the same sections.

    Args:
        block: (2, frames).
        sections: (sections, 5) rows of (g, k, c0, c1, c2).
        state: (at least sections, 2, 2), per section and row the two integrators.
    """
    if len(sections):
        svf_rows(block, both_rows(sections), state)


@inline
def section_matrix(row: NDArray[np.float64], out: NDArray[np.float64]) -> None:
    """State-space form of a section: the two integrators' next values and the output, each from l1, l2 and x."""
    g = row[0]
    k = row[1]
    a1 = 1.0 / (1.0 + g * (g + k))
    a2 = g * a1
    a3 = g * a2
    # high = x − k·band − low, so the three outputs are weights of x, band and low
    m1 = row[3] - k * row[2]
    m2 = row[4] - row[2]
    out[0] = 2.0 * a1 - 1.0
    out[1] = -2.0 * a2
    out[2] = 2.0 * a2
    out[3] = 2.0 * a2
    out[4] = 1.0 - 2.0 * a3
    out[5] = 2.0 * a3
    out[6] = m1 * a1 + m2 * a2
    out[7] = m2 * (1.0 - a3) - m1 * a2
    out[8] = row[2] + m1 * a2 + m2 * a3


@kernel("void(float64[:, ::1], float64[:, :, ::1], float64[:, :, ::1])")
def svf_rows(block: NDArray[np.float64], sections: NDArray[np.float64], state: NDArray[np.float64]) -> None:
    """Filter in place, each row with sections of its own.

    Args:
        block: (2, frames).
        sections: (sections, 2, 5), per section and row (g, k, c0, c1, c2).
        state: (at least sections, 2, 2), per section and row the two integrators.
    """
    left = block[0]
    right = block[1]
    frames = left.shape[0]
    p = np.empty(9)
    q = np.empty(9)
    for s in range(sections.shape[0]):
        section_matrix(sections[s, 0], p)
        section_matrix(sections[s, 1], q)
        p0, p1, p2, p3, p4, p5, p6, p7, p8 = p[0], p[1], p[2], p[3], p[4], p[5], p[6], p[7], p[8]
        q0, q1, q2, q3, q4, q5, q6, q7, q8 = q[0], q[1], q[2], q[3], q[4], q[5], q[6], q[7], q[8]
        l1 = state[s, 0, 0]
        l2 = state[s, 0, 1]
        r1 = state[s, 1, 0]
        r2 = state[s, 1, 1]
        for start in range(0, frames, _STRIDE):
            for i in range(start, min(start + _STRIDE, frames)):
                x = left[i]
                left[i] = p8 * x + p6 * l1 + p7 * l2
                l = p2 * x + p0 * l1 + p1 * l2
                l2 = p5 * x + p3 * l1 + p4 * l2
                l1 = l
                x = right[i]
                right[i] = q8 * x + q6 * r1 + q7 * r2
                r = q2 * x + q0 * r1 + q1 * r2
                r2 = q5 * x + q3 * r1 + q4 * r2
                r1 = r
            if abs(l1) + abs(l2) < FLUSH:
                l1 = 0.0
                l2 = 0.0
            if abs(r1) + abs(r2) < FLUSH:
                r1 = 0.0
                r2 = 0.0
        state[s, 0, 0] = l1
        state[s, 0, 1] = l2
        state[s, 1, 0] = r1
        state[s, 1, 1] = r2


def biquad_to_svf(b0: float, b1: float, b2: float, a1: float, a2: float) -> tuple[float, ...]:
    """A digital second-order section as a row for :func:`svf_cascade`.

    From the bilinear form: (1 + a1 + a2)/(1 − a1 + a2) = g², 1 − a1 + a2 = 4/(1 + g·k + g²).
    """
    top = 1.0 + a1 + a2
    bottom = 1.0 - a1 + a2
    g = math.sqrt(top / bottom)
    k = 2.0 * (1.0 - a2) / (bottom * g)
    return g, k, (b0 - b1 + b2) / bottom, 2.0 * (b0 - b2) / (bottom * g), (b0 + b1 + b2) / top


FADED, FORGOTTEN = 11.1, 6.0
"""Time constants until 96 dB are gone, and until what is left, a four-hundredth, is not heard any more."""


def ring_s(sections: Sections, rate_hz: float) -> float:
    """Time constant in seconds of the slowest pole of a cascade: it falls to 37 % in this time."""
    return max((_falls_frames(1.0, k, 1.0, g) for g, k, *_ in sections), default=0.0) / rate_hz


def spread_s(sections: Sections, rate_hz: float) -> float:
    """Time constant in seconds of the response that has a cascade's magnitudes and no phase.

    Magnitudes know no inside and outside, and a root is taken of them: zeros count as poles do. Infinite where one lies
    on the unit circle, such as that of a notch.
    """
    zeros = max((_falls_frames(c0, c1, c2, g) for g, _, c0, c1, c2 in sections), default=0.0)
    return max(ring_s(sections, rate_hz), zeros / rate_hz)


def _falls_frames(a: float, b: float, c: float, g: float) -> float:
    """Frames until the slower root of a·s² + b·s + c, with s = (z − 1)/(g·(z + 1)), has fallen to 37 %."""
    if a == 0.0:
        return math.inf  # it lies at z = −1
    turn, slowest = cmath.sqrt(b * b - 4.0 * a * c), 0.0
    for s in ((-b + turn) / (2.0 * a), (-b - turn) / (2.0 * a)):
        above, below = abs(1.0 + g * s), abs(1.0 - g * s)  # |z| is one over the other
        if above == below:
            return math.inf
        if above > 0.0 and below > 0.0:
            slowest = max(slowest, 1.0 / abs(math.log(above / below)))
    return slowest


def squared_tangent(hz: NDArray[np.float64], rate_hz: float) -> NDArray[np.float64]:
    """Where frequencies below half the rate lie under the bilinear transform, for :func:`svf_magnitude`."""
    return np.asarray(np.tan(np.pi * hz / rate_hz) ** 2)


def svf_magnitude(sections: Sections, tangent2: NDArray[np.float64]) -> NDArray[np.float64]:
    """Magnitude of a cascade at the frequencies of :func:`squared_tangent`, (points,), without its phase."""
    power = np.ones(tangent2.shape)
    for g, k, c0, c1, c2 in sections:
        if (k, c0, c1, c2) != IDENTITY[1:]:
            s2 = tangent2 / (g * g)
            power *= ((c2 - c0 * s2) ** 2 + c1 * c1 * s2) / ((1.0 - s2) ** 2 + k * k * s2)
    return np.asarray(np.sqrt(power))


def svf_response(sections: Sections, hz: NDArray[np.float64], rate_hz: float) -> NDArray[np.complex128]:
    """Complex response of a cascade at the given frequencies, (points,)."""
    tangent = np.tan(np.pi * np.asarray(hz, dtype=np.float64) / rate_hz)
    total = np.ones(tangent.shape, dtype=np.complex128)
    for g, k, c0, c1, c2 in sections:
        s = 1j * tangent / g
        total *= (c0 * s * s + c1 * s + c2) / (s * s + k * s + 1.0)
    return total
