"""Curves of bands whose gain moves, as sections that change smoothly with the gain.

Bells and shelves follow the analogue curves, as those of :mod:`tin_kettle.core.dsp.equalizer_filters`: they are
designed every 2 dB, and the logarithms of their coefficients are straight in between. A cut is the reciprocal of the
boost, and a high shelf is a low shelf the other way round, raised by its gain.

A flat top is a Butterworth shelf of fifth order, |H|² = (G² + G·Ω¹⁰)/(1 + G·Ω¹⁰) with G its gain as a factor, turned
into a band by Ω = (s + 1/s)/b: all its gain at the centre, half its dB at both edges, nothing turned in phase at 0 dB.
"""

from __future__ import annotations

import math
from functools import lru_cache
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from tin_kettle.core.dsp.equalizer_filters import (
    bell_prototype,
    low_shelf_prototype,
    near_section,
    reciprocal,
    warped_section,
)
from tin_kettle.core.dsp.svf import Sections, svf_response

Shape = Literal["bell", "low_shelf", "high_shelf", "flat_top"]
NODE_DB = 2.0
"""Distance of the gains for which bells and shelves are designed."""
REST_DB = 0.01
"""The gain that stands for none: a prototype without any says nothing about its poles."""
SHARPEST_SHELF_Q = 4.0
"""Above it a shelf is a resonance with steep flanks, which one section follows in its exact shape only."""
FLAT_TOP_ORDER = 5
HIGHEST_EDGE = 0.49
"""Of the rate: the upper edge of a flat top lies no higher."""


def sections_by_gain(
    shape: Shape, hz: float, q: float, gains_db: NDArray[np.float64], rate_hz: float
) -> NDArray[np.float64]:
    """The sections of a band at each of these gains.

    Args:
        shape: a bell; a shelf that reaches half its dB at ``hz``; a flat top from hz·2^(−1/(2q)) to hz·2^(1/(2q)).
        hz: below half the rate.
        q: 0.1 … 40.
        gains_db: (gains,) −48 … 48 dB.
        rate_hz: sample rate.

    Returns:
        (gains, sections, 5), rows as in :mod:`tin_kettle.core.dsp.svf`; at 0 dB they give back what they get.
    """
    if shape == "flat_top":
        return _flat_top(hz, q, gains_db, rate_hz)
    if shape == "high_shelf":
        rows = _between_nodes("low_shelf", hz, q, -gains_db, rate_hz)
        rows[:, 2:] *= 10.0 ** (gains_db[:, None] / 20.0)
    else:
        rows = _between_nodes(shape, hz, q, gains_db, rate_hz)
    return rows[:, None]


def gain_response(
    shape: Shape, hz: float, q: float, gain_db: float, at_hz: NDArray[np.float64], rate_hz: float
) -> NDArray[np.complex128]:
    """What a band does to a steady tone while its gain rests, (points,)."""
    return svf_response(sections_by_gain(shape, hz, q, np.array([gain_db]), rate_hz)[0], at_hz, rate_hz)


def _between_nodes(
    shape: Literal["bell", "low_shelf"], hz: float, q: float, gains_db: NDArray[np.float64], rate_hz: float
) -> Sections:
    places = np.abs(gains_db) / NODE_DB
    last = max(math.ceil(places.max()), 1)
    nodes = _nodes(shape, hz, q, last, rate_hz)
    before = np.minimum(places.astype(np.int64), last - 1)
    share = (places - before)[:, None]
    rows = np.exp(nodes[before] * (1.0 - share) + nodes[before + 1] * share)
    cuts = gains_db < 0.0
    rows[cuts] = reciprocal(rows[cuts])
    still = gains_db == 0.0
    rows[still, 2], rows[still, 3], rows[still, 4] = 1.0, rows[still, 1], 1.0
    return np.asarray(rows)


def _nodes(shape: Literal["bell", "low_shelf"], hz: float, q: float, last: int, rate_hz: float) -> Sections:
    """Logarithms of the coefficients at 0, 2 … 2·``last`` dB, (last + 1, 5)."""
    rows = np.array([_node(shape, hz, q, node, rate_hz) for node in range(last + 1)])
    rows[0, 2], rows[0, 3], rows[0, 4] = 1.0, rows[0, 1], 1.0
    return np.asarray(np.log(rows))


@lru_cache(maxsize=4096)
def _node(shape: Literal["bell", "low_shelf"], hz: float, q: float, node: int, rate_hz: float) -> NDArray[np.float64]:
    prototype = {"bell": bell_prototype, "low_shelf": low_shelf_prototype}[shape]
    top, bottom = prototype(q, max(NODE_DB * node, REST_DB))
    if shape == "low_shelf" and q > SHARPEST_SHELF_Q:
        return warped_section(top, bottom, hz, rate_hz)
    before = _node(shape, hz, q, node - 1, rate_hz) if node else None
    return near_section(top, bottom, hz, rate_hz, before)


def _flat_top(hz: float, q: float, gains_db: NDArray[np.float64], rate_hz: float) -> NDArray[np.float64]:
    half = 2.0 ** (0.5 / q)
    low = math.tan(math.pi * hz / half / rate_hz)
    high = math.tan(math.pi * min(hz * half / rate_hz, HIGHEST_EDGE))
    centre = math.sqrt(low * high)
    width = (high - low) / centre
    # the Butterworth shelf has its poles on one circle and its zeros on another, under the same angles
    pole = 10.0 ** (-gains_db / (40.0 * FLAT_TOP_ORDER))
    zero = 1.0 / pole
    one = np.ones_like(pole)
    rows = [np.stack([centre * one, width * pole, one, width * zero, one], axis=1)]
    for pair in range(FLAT_TOP_ORDER // 2):
        angle = np.exp(1j * math.pi * (0.5 + (2 * pair + 1) / (2 * FLAT_TOP_ORDER)))
        poles, zeros = (_lower_root(width * radius * angle) for radius in (pole, zero))
        ratio = np.abs(zeros) / np.abs(poles)
        for at, turned in ((np.abs(poles), 1.0), (1.0 / np.abs(poles), -1.0)):
            # a root's mirror image 1/s has the same angle to the axis: s + s* over |s| is what both have
            damping = -2.0 * poles.real / np.abs(poles)
            lift = ratio**turned
            rows.append(
                np.stack([centre * at, damping, one, -2.0 * zeros.real / np.abs(zeros) * lift, lift * lift], axis=1)
            )
    return np.stack(rows, axis=1)


def _lower_root(middle: NDArray[np.complex128]) -> NDArray[np.complex128]:
    """The root of s² − middle·s + 1 inside the unit circle; the other one is its reciprocal."""
    turn = np.sqrt(middle * middle - 4.0)
    roots = 0.5 * (middle + turn), 0.5 * (middle - turn)
    return np.where(np.abs(roots[0]) < np.abs(roots[1]), *roots)
