"""Bells, shelves, tilts, notches and band-passes as digital sections that follow the analogue curves.

The poles are the analogue ones by impulse invariance, the numerator is solved so that the magnitude is the prototype's
at DC and two more frequencies (Vicanek 2016, *Matched second order digital filters*, equations 12 and 26–33). Where
that is not near enough, least squares moves zeros and poles, and at the extremes adds a section. Cuts are the exact
reciprocals of boosts, so that +g and −g cancel.
"""

from __future__ import annotations

import math
import threading
from collections.abc import Callable
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from tin_kettle.core.dsp.filter_fit import cascade_db, fitted
from tin_kettle.core.dsp.svf import IDENTITY, Sections, biquad_to_svf

Quadratic = tuple[float, float, float]
"""a·s² + b·s + c, s in units of the section's frequency."""
Biquad = tuple[float, float, float, float, float]
"""b0, b1, b2, a1, a2 with a0 = 1."""
_NEAR_DB, _FAR_DB = 0.12, 0.25
SPARE = (1.6, 1.6, 1.0, 1.6, 1.0)
"""A section that does nothing yet, from where a fit may take it."""
_CLEAR_Q_OCTAVES = 0.02
_making = threading.Lock()
"""The picture of an edit and its sound want the same sections at the same time: the second finds them made."""


def bell_prototype(q: float, gain_db: float) -> tuple[Quadratic, Quadratic]:
    """H(s) = (s² + s·A/Q + 1)/(s² + s/(A·Q) + 1), A = 10^(gain_db/40): numerator and denominator."""
    a = 10.0 ** (gain_db / 40.0)
    return (1.0, a / q, 1.0), (1.0, 1.0 / (a * q), 1.0)


def low_shelf_prototype(q: float, gain_db: float) -> tuple[Quadratic, Quadratic]:
    """A·(s² + s·√A/Q + A)/(A·s² + s·√A/Q + 1), A = 10^(gain_db/40): half its gain in dB at the frequency."""
    a = 10.0 ** (gain_db / 40.0)
    root = math.sqrt(a)
    return (a, a * root / q, a * a), (a, root / q, 1.0)


def bell(hz: float, q: float, gain_db: float, rate_hz: float) -> Sections:
    """Bell of :func:`bell_prototype`, as (sections, 5)."""
    return _boost_or_cut(*bell_prototype(q, abs(gain_db)), gain_db, hz, rate_hz)


def high_shelf(hz: float, q: float, gain_db: float, rate_hz: float) -> Sections:
    """Shelf with half its gain in dB at ``hz``; q 0.707 is maximally flat. (sections, 5)."""
    a = 10.0 ** (abs(gain_db) / 40.0)
    root = math.sqrt(a)
    return _boost_or_cut((a * a, a * root / q, a), (1.0, root / q, a), gain_db, hz, rate_hz)


def low_shelf(hz: float, q: float, gain_db: float, rate_hz: float) -> Sections:
    """Shelf of :func:`low_shelf_prototype`, as (sections, 5)."""
    return _boost_or_cut(*low_shelf_prototype(q, abs(gain_db)), gain_db, hz, rate_hz)


def tilt(hz: float, q: float, gain_db: float, rate_hz: float) -> Sections:
    """A high shelf turned down by half its gain: −gain/2 below ``hz``, +gain/2 above. (sections, 5)."""
    rows = high_shelf(hz, q, gain_db, rate_hz)
    rows[0, 2:] *= 10.0 ** (-gain_db / 40.0)
    return rows


def notch(hz: float, q: float, rate_hz: float) -> Sections:
    """H(s) = (s² + 1)/(s² + s/Q + 1), nothing at ``hz``; (sections, 5)."""
    return _section((1.0, 0.0, 1.0), (1.0, 1.0 / q, 1.0), hz, rate_hz)


def band_pass(hz: float, q: float, rate_hz: float) -> Sections:
    """H(s) = (s/Q)/(s² + s/Q + 1), unity at ``hz``; (sections, 5)."""
    return _section((0.0, 1.0 / q, 0.0), (1.0, 1.0 / q, 1.0), hz, rate_hz)


def _boost_or_cut(top: Quadratic, bottom: Quadratic, gain_db: float, hz: float, rate_hz: float) -> Sections:
    if gain_db == 0.0:
        return np.array([IDENTITY])
    rows = _section(top, bottom, hz, rate_hz)
    return rows if gain_db > 0.0 else reciprocal(rows)


def reciprocal(rows: Sections) -> Sections:
    """The sections that undo the given ones: zeros and poles change places."""
    g, k, c0, c1, c2 = rows.T
    # (c0·s² + c1·s + c2) has its own frequency √(c2/c0); the section is written about that
    scale = np.sqrt(c2 / c0)
    return np.stack([g * scale, c1 / np.sqrt(c0 * c2), 1.0 / c0, k / np.sqrt(c0 * c2), 1.0 / c2], axis=1)


def _section(top: Quadratic, bottom: Quadratic, hz: float, rate_hz: float) -> Sections:
    with _making:
        return _made(top, bottom, hz, rate_hz).copy()


@lru_cache(maxsize=2048)
def _made(top: Quadratic, bottom: Quadratic, hz: float, rate_hz: float) -> Sections:
    w0 = 2.0 * math.pi * hz / rate_hz
    grid = _grid(w0)
    wanted_db = analogue_db(top, bottom, grid / w0)

    def miss_db(rows: Sections) -> float:
        return _miss_db(rows, grid, wanted_db)

    found = _bilinear(top, bottom, w0)
    if miss_db(found) > _NEAR_DB / 4.0:
        matched = [_svf(row) for row in (_matched(top, bottom, w0, second) for second in _SECONDS) if row]
        for start in sorted([*matched, found], key=miss_db)[:2]:
            found = min(found, start, key=miss_db)
            if miss_db(found) > _NEAR_DB:
                found = min(found, _fitted(start, grid, wanted_db), key=miss_db)
        if miss_db(found) > _FAR_DB:
            # high, narrow and strong at once: one more section takes out what is left
            found = _fitted(np.concatenate([found, [SPARE]]), grid, wanted_db)
    found.setflags(write=False)
    return found


_SECONDS = (0.45, 0.40, 0.34)
_FAMILY_SECOND = 0.34


def near_section(
    top: Quadratic, bottom: Quadratic, hz: float, rate_hz: float, before: NDArray[np.float64] | None
) -> NDArray[np.float64]:
    """One section for a prototype, little different from that of a prototype that is little different.

    Args:
        top, bottom: numerator and denominator.
        hz: their frequency, below half the rate.
        rate_hz: sample rate.
        before: the section of the one before, from where to look where there is no closed form.

    Returns:
        (5,).
    """
    w0 = 2.0 * math.pi * hz / rate_hz
    grid = _grid(w0)
    wanted_db = analogue_db(top, bottom, grid / w0)
    matched = _matched(top, bottom, w0, _FAMILY_SECOND)
    start = _bilinear(top, bottom, w0) if before is None else before[None]
    row = _svf(matched) if matched else start
    near = _miss_db(row, grid, wanted_db) < _NEAR_DB
    return np.asarray((row if near else _fitted(row, grid, wanted_db))[0])


def warped_section(top: Quadratic, bottom: Quadratic, hz: float, rate_hz: float) -> NDArray[np.float64]:
    """The bilinear section, (5,): exact in shape, narrower near half the rate."""
    return np.asarray(_bilinear(top, bottom, 2.0 * math.pi * hz / rate_hz)[0])


_WIDE, _NEAR = np.linspace(0.0, 1.0, 72), np.geomspace(0.7, 1.4, 25)


def _grid(w0: float) -> NDArray[np.float64]:
    """Where a curve is compared, in radians a sample: all of the band up to 20 kHz at 44.1 kHz, denser about w0."""
    top = 0.4535 * 2.0 * math.pi
    bottom = min(w0 / 32.0, top / 64.0)
    wide = bottom * (top / bottom) ** _WIDE
    near = w0 * _NEAR
    return np.sort(np.concatenate([wide, near[near < top]]))


def analogue_db(top: Quadratic, bottom: Quadratic, ratio: NDArray[np.float64]) -> NDArray[np.float64]:
    """Level of the prototype at multiples of its frequency; (points,) dB, no lower than −120."""
    power = _power(top, ratio) / _power(bottom, ratio)
    return np.asarray(10.0 * np.log10(np.maximum(power, 1e-12)))


def _power(part: Quadratic, ratio: NDArray[np.float64]) -> NDArray[np.float64]:
    a, b, c = part
    return np.asarray((c - a * ratio**2) ** 2 + (b * ratio) ** 2)


def _miss_db(rows: Sections, w: NDArray[np.float64], wanted_db: NDArray[np.float64]) -> float:
    heard = wanted_db > -40.0
    worst = np.abs(cascade_db(rows, w) - wanted_db)[heard]
    # what lies above 16 kHz at 44.1 kHz may miss by more
    return float(np.max(worst * np.where(w[heard] > 2.28, 0.4, 1.0)))


def _bilinear(top: Quadratic, bottom: Quadratic, w0: float) -> Sections:
    a, b, c = bottom
    g = math.tan(w0 / 2.0) * math.sqrt(c / a)
    norm = math.sqrt(a * c)
    return np.array([(g, b / norm, top[0] / a, top[1] / norm, top[2] / c)])


def _poles(bottom: Quadratic, w0: float) -> tuple[float, float]:
    """a1 and a2 of the analogue poles by impulse invariance (Vicanek equation 12)."""
    a, b, c = bottom
    frequency, damping = w0 * math.sqrt(c / a), b / (2.0 * math.sqrt(a * c))
    decay = math.exp(-damping * frequency)
    if damping <= 1.0:
        a1 = -2.0 * decay * math.cos(math.sqrt(1.0 - damping**2) * frequency)
    else:
        a1 = -decay * (
            math.exp(math.sqrt(damping**2 - 1.0) * frequency) + math.exp(-math.sqrt(damping**2 - 1.0) * frequency)
        )
    return a1, decay * decay


def _matched(top: Quadratic, bottom: Quadratic, w0: float, second: float) -> Biquad | None:
    """Numerator from the prototype's power at DC, w0 and a second frequency (share of the rate); None if none."""
    a1, a2 = _poles(bottom, w0)
    poles = np.array([(1.0 + a1 + a2) ** 2, (1.0 - a1 + a2) ** 2, -4.0 * a2])
    first = min(w0, 2.0 * math.pi * 0.3)
    places = np.array([first, 2.0 * math.pi * second])
    if places[1] - places[0] < _CLEAR_Q_OCTAVES:
        return None
    phi1 = np.sin(places / 2.0) ** 2
    phi = np.stack([1.0 - phi1, phi1, 4.0 * phi1 * (1.0 - phi1)], axis=1)
    power = 10.0 ** (analogue_db(top, bottom, places / w0) / 10.0)
    at_dc = poles[0] * (top[2] / bottom[2]) ** 2
    numerator1, numerator2 = np.linalg.solve(phi[:, 1:], power * (phi @ poles) - at_dc * phi[:, 0])
    return _minimum_phase(at_dc, float(numerator1), float(numerator2), a1, a2)


def _minimum_phase(at_dc: float, at_top: float, curve: float, a1: float, a2: float) -> Biquad | None:
    """The numerator of minimum phase that has these powers (Vicanek equations 29–33)."""
    if at_top < 1e-9:
        return None
    root0, root1 = math.sqrt(at_dc), math.sqrt(at_top)
    half = 0.5 * (root0 + root1)
    inside = half * half + curve
    if inside < 0.0:
        return None
    b0 = 0.5 * (half + math.sqrt(inside))
    if b0 <= 0.0:
        return None
    return b0, 0.5 * (root0 - root1), -curve / (4.0 * b0), a1, a2


def _svf(row: Biquad) -> Sections:
    return np.array([biquad_to_svf(*row)])


def pass_section(top: Quadratic, damping: float, hz: float, rate_hz: float) -> Sections:
    """One section of a pass: ``top`` over s² + damping·s + 1; (sections, 5)."""
    return _section(top, (1.0, damping, 1.0), hz, rate_hz)


def refined(
    rows: Sections, wanted: Callable[[NDArray[np.float64]], NDArray[np.float64]], hz: float, rate_hz: float
) -> Sections:
    """A cascade brought nearer to the level in dB that is wanted at angular frequencies, where it is too far off."""
    grid = _grid(2.0 * math.pi * hz / rate_hz)
    wanted_db = wanted(grid)
    found = rows
    if _miss_db(found, grid, wanted_db) > 0.8 * _FAR_DB:
        found = min(found, _fitted(found, grid, wanted_db), key=lambda made: _miss_db(made, grid, wanted_db))
    if _miss_db(found, grid, wanted_db) > 0.8 * _FAR_DB:
        spare = _fitted(np.concatenate([found, [SPARE]]), grid, wanted_db)
        found = min(found, spare, key=lambda made: _miss_db(made, grid, wanted_db))
    return found


def _fitted(start: Sections, w: NDArray[np.float64], wanted_db: NDArray[np.float64]) -> Sections:
    weight = np.where(wanted_db > -40.0, np.where(w > 2.28, 0.4, 1.0), 0.02)
    return fitted(start, w, wanted_db, weight, 0.5 * _NEAR_DB)
