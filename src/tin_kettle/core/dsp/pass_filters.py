"""High-pass and low-pass cascades that follow the analogue Butterworth curves up to 20 kHz.

High-passes are bilinear where their corner is far below the rate, and matched sections above. Low-passes have the
poles of the analogue filter by impulse invariance and zeros matched to its magnitude (Vicanek 2016, *Matched second
order digital filters*); from there least squares brings all of it, with one more section, to the analogue curve.
"""

from __future__ import annotations

import math
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from tin_kettle.core.dsp.equalizer_filters import SPARE, pass_section, refined
from tin_kettle.core.dsp.filter_fit import fitted
from tin_kettle.core.dsp.svf import biquad_to_svf

Sections = NDArray[np.float64]
DB_PER_OCT_PER_ORDER = 6
# Shares of the rate where a low-pass section meets the analogue magnitude: its corner up to the first, and the second
_MATCH_LOW, _MATCH_HIGH = 0.160, 0.375
# Corners above this, in radians a sample, feel the bilinear transform's warping
WARPED = 0.06
_TOP, _HIGH = 0.4535 * 2.0 * math.pi, 2.28
"""20 kHz at 44.1 kHz, up to where curves are followed, and 16 kHz, above which they may miss by more."""
PASSED_DB, NEAR_DB = -4.0, 0.1
"""Down to where a low-pass lets through; what is near enough, in dB, or a tenth of that where it lets through."""


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
    start = np.array([*(biquad_to_svf(*row) for row in rows), SPARE])
    top = max(_TOP, w0)
    w = np.unique(np.concatenate([np.linspace(min(0.02, w0 / 8.0), top, 90), w0 * np.geomspace(0.6, 1.15, 24), [w0]]))
    w = w[w <= top]
    wanted_db = _analogue_low_db(w / w0, order, resonance_db)
    # what passes is to be right to a few hundredths, what is 110 dB down need only be down
    weight = np.where(wanted_db > PASSED_DB, 10.0, np.where(wanted_db < -110.0, 0.02, np.where(w > _HIGH, 0.4, 1.0)))
    sections = fitted(start, w, wanted_db, weight, NEAR_DB, keep_dc=True)
    sections.setflags(write=False)
    return sections


def low_pass(hz: float, slope_db_oct: int, resonance_db: float, rate_hz: float) -> Sections:
    """Butterworth low-pass, as :func:`high_pass`; within 0.3 dB of the analogue curve to 16 kHz at 44.1 kHz.

    Nothing is lifted by more than 0.03 dB, and the corner is met within 0.05 dB.
    """
    return _low_pass(hz, slope_db_oct, resonance_db, rate_hz).copy()


def _analogue_low_db(ratio: NDArray[np.float64], order: int, resonance_db: float) -> NDArray[np.float64]:
    power = np.ones(ratio.size)
    for q in butterworth_qs(order, resonance_db):
        power *= (1.0 - ratio**2) ** 2 + (ratio / q) ** 2
    if order % 2:
        power *= 1.0 + ratio**2
    return np.asarray(-10.0 * np.log10(power))


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
