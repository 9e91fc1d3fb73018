"""High-pass and low-pass cascades that follow the analogue Butterworth curves up to 20 kHz.

High-passes are bilinear where their corner is far below the rate, and matched sections above. Low-passes have the
poles of the analogue filter by impulse invariance and zeros matched to its magnitude (Vicanek 2016, *Matched second
order digital filters*). What is left at corners that are high for the rate, one more section takes out, by least
squares.
"""

from __future__ import annotations

import math
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from tin_kettle.core.dsp.fit import least_squares
from tin_kettle.core.dsp.shapes import pass_section, refined
from tin_kettle.core.dsp.svf import biquad_to_svf

INSIDE = 0.99999
"""Roots of a correction stay this far inside the unit circle."""

Sections = NDArray[np.float64]
DB_PER_OCT_PER_ORDER = 6
# Shares of the rate where a low-pass section meets the analogue magnitude: its corner up to the first, and the second
_MATCH_LOW, _MATCH_HIGH = 0.160, 0.375
# Corners above this, in radians a sample, feel the bilinear transform's warping
WARPED = 0.06
_TOP = 0.363 * 2.0 * math.pi
_FIT = np.concatenate([np.linspace(0.0227, 0.317, 12), np.linspace(0.329, 0.4535, 16)])


def butterworth_qs(order: int, resonance_db: float = 0.0) -> list[float]:
    """Q of each second-order section, highest first; the resonance multiplies the highest."""
    qs = [0.5 / math.sin(math.pi * (2 * i + 1) / (2 * order)) for i in range(order // 2)]
    if qs:
        qs[0] *= 10.0 ** (resonance_db / 20.0)
    return qs


def high_pass(hz: float, slope_db_oct: int, resonance_db: float, rate_hz: float) -> Sections:
    """Butterworth high-pass as (sections, 5) for :func:`svf_cascade`.

    Args:
        hz: corner, below half the rate.
        slope_db_oct: 6 for every order.
        resonance_db: raises the corner to resonance_db − 3.01 dB; without effect at 6 dB/oct.
    """
    return _high_pass(hz, slope_db_oct, resonance_db, rate_hz).copy()


@lru_cache(maxsize=512)
def _high_pass(hz: float, slope_db_oct: int, resonance_db: float, rate_hz: float) -> Sections:
    g = math.tan(math.pi * hz / rate_hz)
    order = slope_db_oct // DB_PER_OCT_PER_ORDER
    rows = [(g, 1.0 / q, 1.0, 0.0, 0.0) for q in butterworth_qs(order, resonance_db)]
    if order % 2:
        rows.append((g, 2.0, 1.0, 1.0, 0.0))  # s/(s+1), its other root cancelled
    sections = np.array(rows)
    w0 = 2.0 * math.pi * hz / rate_hz
    if w0 > WARPED:
        matched = [pass_section((1.0, 0.0, 0.0), 1.0 / q, hz, rate_hz) for q in butterworth_qs(order, resonance_db)]
        if order % 2:
            matched.append(pass_section((1.0, 1.0, 0.0), 2.0, hz, rate_hz))
        sections = refined(
            np.concatenate(matched), lambda w: _analogue_low_db(w0 / w, order, resonance_db), hz, rate_hz
        )
    sections.setflags(write=False)
    return sections


@lru_cache(maxsize=512)
def _low_pass(hz: float, slope_db_oct: int, resonance_db: float, rate_hz: float) -> Sections:
    order = slope_db_oct // DB_PER_OCT_PER_ORDER
    w0 = 2.0 * math.pi * hz / rate_hz
    rows = [_matched_low(w0, q) for q in butterworth_qs(order, resonance_db)]
    if order % 2:
        rows.append(_matched_first(w0))
    w = 2.0 * math.pi * _FIT
    wanted_db = _analogue_low_db(w / w0, order, resonance_db)
    made_db = sum((_biquad_db(row, w) for row in rows), np.zeros(w.size))
    weight = np.where(wanted_db < -110.0, 0.2, np.where(w > _TOP, 0.6, 1.0))
    start = np.array([-0.68, -0.43, -0.54, -0.54])
    rows.append(_correction(wanted_db - made_db, weight, w, start, unity_at=1.0))
    sections = np.array([biquad_to_svf(*row) for row in rows])
    sections.setflags(write=False)
    return sections


def low_pass(hz: float, slope_db_oct: int, resonance_db: float, rate_hz: float) -> Sections:
    """Butterworth low-pass, as :func:`high_pass`; within 0.3 dB of the analogue curve to 16 kHz at 44.1 kHz."""
    return _low_pass(hz, slope_db_oct, resonance_db, rate_hz).copy()


def _analogue_low_db(ratio: NDArray[np.float64], order: int, resonance_db: float) -> NDArray[np.float64]:
    power = np.ones(ratio.size)
    for q in butterworth_qs(order, resonance_db):
        power *= (1.0 - ratio**2) ** 2 + (ratio / q) ** 2
    if order % 2:
        power *= 1.0 + ratio**2
    return np.asarray(-10.0 * np.log10(power))


def _biquad_db(row: tuple[float, ...], w: NDArray[np.float64]) -> NDArray[np.float64]:
    b0, b1, b2, a1, a2 = row
    z = np.exp(-1j * w)
    return np.asarray(20.0 * np.log10(np.abs((b0 + z * (b1 + z * b2)) / (1.0 + z * (a1 + z * a2)))))


def _matched_low(w0: float, q: float) -> tuple[float, ...]:
    """Vicanek equations 12 and 27–33, with the magnitude met at DC and two more frequencies."""
    damping = 0.5 / q
    decay = math.exp(-damping * w0)
    a2 = decay * decay
    if damping <= 1.0:
        a1 = -2.0 * decay * math.cos(math.sqrt(1.0 - damping**2) * w0)
    else:
        a1 = -2.0 * decay * math.cosh(math.sqrt(damping**2 - 1.0) * w0)
    poles = np.array([(1.0 + a1 + a2) ** 2, (1.0 - a1 + a2) ** 2, -4.0 * a2])
    rows, right = [], []
    for w in (min(w0, 2.0 * math.pi * _MATCH_LOW), 2.0 * math.pi * _MATCH_HIGH):
        phi1 = math.sin(w / 2.0) ** 2
        phi = np.array([1.0 - phi1, phi1, 4.0 * phi1 * (1.0 - phi1)])
        ratio = w / w0
        power = 1.0 / ((1.0 - ratio**2) ** 2 + (ratio / q) ** 2)
        rows.append(phi[1:])
        right.append(power * float(poles @ phi) - poles[0] * phi[0])
    numerator1, numerator2 = np.linalg.solve(np.array(rows), np.array(right))
    root0, root1 = math.sqrt(poles[0]), math.sqrt(max(float(numerator1), 0.0))
    half = 0.5 * (root0 + root1)
    b0 = 0.5 * (half + math.sqrt(max(half * half + float(numerator2), 0.0)))
    return b0, 0.5 * (root0 - root1), -float(numerator2) / (4.0 * b0), a1, a2


def _matched_first(w0: float) -> tuple[float, ...]:
    pole = math.exp(-w0)
    w = 2.0 * math.pi * _MATCH_HIGH
    phi1 = math.sin(w / 2.0) ** 2
    at_dc, at_nyquist = (1.0 - pole) ** 2, (1.0 + pole) ** 2
    power = (at_dc * (1.0 - phi1) + at_nyquist * phi1) / (1.0 + (w / w0) ** 2)
    root0 = 1.0 - pole
    root1 = math.sqrt(max((power - at_dc * (1.0 - phi1)) / phi1, 0.0))
    return 0.5 * (root0 + root1), 0.5 * (root0 - root1), 0.0, -pole, 0.0


def _correction(
    missing_db: NDArray[np.float64],
    weight: NDArray[np.float64],
    w: NDArray[np.float64],
    start: NDArray[np.float64],
    unity_at: float,
) -> tuple[float, ...]:
    """Two real zeros and two real poles that add the missing dB, by least squares from four roots to start with.

    ``unity_at`` is the z at which the section leaves the level alone: 1 at DC, −1 at half the rate.
    """
    cosine = np.cos(w)

    def distance_db(root: float) -> NDArray[np.float64]:
        return np.asarray(10.0 * np.log10((1.0 + root * root - 2.0 * root * cosine) / (unity_at - root) ** 2))

    def error(free: NDArray[np.float64]) -> NDArray[np.float64]:
        z0, z1, p0, p1 = INSIDE * np.tanh(free)
        made = distance_db(z0) + distance_db(z1) - distance_db(p0) - distance_db(p1)
        return np.asarray(weight * (made - missing_db))

    z0, z1, p0, p1 = INSIDE * np.tanh(least_squares(error, np.arctanh(start)))
    scale = (unity_at - p0) * (unity_at - p1) / ((unity_at - z0) * (unity_at - z1))
    return scale, -scale * (z0 + z1), scale * z0 * z1, -(p0 + p1), p0 * p1
