"""Bells and shelves as single sections, with the shapes of the recipe contract, for detectors.

A = 10^(gain_db/40). The bilinear transform is near enough where nobody hears the curve itself.
"""

from __future__ import annotations

import math

import numpy as np

from tin_kettle.core.dsp.passes import Sections


def _tangent(hz: float, rate_hz: float) -> float:
    return math.tan(math.pi * hz / rate_hz)


def bell(hz: float, q: float, gain_db: float, rate_hz: float) -> Sections:
    """H(s) = (s² + s·A/Q + 1)/(s² + s/(A·Q) + 1), as (1, 5)."""
    a = 10.0 ** (gain_db / 40.0)
    return np.array([(_tangent(hz, rate_hz), 1.0 / (a * q), 1.0, a / q, 1.0)])


def high_shelf(hz: float, q: float, gain_db: float, rate_hz: float) -> Sections:
    """Shelf with half its gain in dB at ``hz``, as (1, 5)."""
    a = 10.0 ** (gain_db / 40.0)
    return np.array([(_tangent(hz, rate_hz) * math.sqrt(a), 1.0 / q, a * a, a / q, 1.0)])


def low_shelf(hz: float, q: float, gain_db: float, rate_hz: float) -> Sections:
    """Shelf with half its gain in dB at ``hz``, as (1, 5)."""
    a = 10.0 ** (gain_db / 40.0)
    return np.array([(_tangent(hz, rate_hz) / math.sqrt(a), 1.0 / q, 1.0, a / q, a * a)])
