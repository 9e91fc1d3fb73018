"""Curves for saturating and clipping, smoothed between samples so that little of what they add folds back.

A curve is odd, rises by 1 at nought and levels off at 1. It is held as what it takes away, e(x) = x − f(x): nothing up
to ``start``, a polynomial over the next ``span``, and from there on x − 1. With E₂ the second antiderivative of e, the
mean of e over all mixtures of three neighbouring samples is a divided difference (Hermite and Genocchi; for sound:
Bilbao, Esqueda, Parker and Välimäki 2017, *Antiderivative antialiasing for memoryless nonlinearities*):

    2/(x₀ − x₂) · [(E₂(x₀) − E₂(x₁))/(x₀ − x₁) − (E₂(x₁) − E₂(x₂))/(x₁ − x₂)]
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from tin_kettle.core.dsp.compile import inline, kernel
from tin_kettle.core.dsp.decibels import DB_PER_OCTAVE, log2

NEAR, NEAR_OUTER = 1e-5, 1e-4
"""Differences below which a quotient would be noise, so that the middle is taken."""
QUIET = 1e-6


@dataclass(frozen=True)
class Curve:
    """A shaping curve f(x) = x − e(x), turned about a resting point where it is asymmetric.

    Args:
        start: up to here it is straight.
        span: over which it bends.
        bend: weights of t², t³, t⁴, t⁵ of e on the bend, t = |x| − start.
        rest: where silence rests on it.
    """

    start: float
    span: float
    bend: tuple[float, float, float, float]
    rest: float = 0.0

    def taken(self, x: NDArray[np.float64]) -> NDArray[np.float64]:
        """e(x), before anything is turned about the resting point."""
        size = np.abs(x)
        t = np.clip(size - self.start, 0.0, self.span)
        bent = sum(weight * t ** (k + 2) for k, weight in enumerate(self.bend))
        return np.asarray(np.sign(x) * (bent + np.maximum(size - self.start - self.span, 0.0)))

    @property
    def turned(self) -> tuple[float, float, float]:
        """k, weight and offset: f(x) = weight · q(x/k + rest) − offset has unit slope at 0 and a floor at −1."""
        if not self.rest:
            return 1.0, 1.0, 0.0
        at = np.array([self.rest])
        value = float((at - self.taken(at))[0])
        t = self.rest - self.start
        slope = 1.0 - sum((k + 2) * weight * t ** (k + 1) for k, weight in enumerate(self.bend))
        k = slope / (1.0 + value)
        return k, k / slope, value * k / slope

    def __call__(self, x: NDArray[np.float64]) -> NDArray[np.float64]:
        """f(x)."""
        k, weight, offset = self.turned
        u = x / k + self.rest
        return np.asarray(weight * (u - self.taken(u)) - offset)

    @property
    def constants(self) -> NDArray[np.float64]:
        """For :func:`shape`."""
        k, weight, offset = self.turned
        return np.array([self.start, self.span, *self.bend, self.rest, k, weight, offset])


def cornered(knee: float) -> Curve:
    """Straight, then level; the corner is a parabola from 1 − knee to 1 + knee."""
    return Curve(1.0 - knee, 2.0 * knee, (0.25 / knee if knee else 0.0, 0.0, 0.0, 0.0))


def _soft(rest: float) -> Curve:
    # f = 15/8·u − 10/8·u³ + 3/8·u⁵ with u = 8/15·x, whose slope and bend end together at u = 1
    u = 8.0 / 15.0
    return Curve(0.0, 1.0 / u, (0.0, 1.25 * u**3, 0.0, -0.375 * u**5), rest)


SOFT = _soft(0.0)
FIRM = Curve(0.0, 1.5, (0.0, 4.0 / 27.0, 0.0, 0.0))
"""f = x − 4/27·x³ up to 1.5."""
HARD = cornered(0.25)
ASYMMETRIC = _soft(0.35)


@inline
def _first(x: float, p: tuple[float, ...]) -> float:
    """First antiderivative of e; even."""
    size = abs(x) - p[0]
    t = min(max(size, 0.0), p[1])
    over = max(size - p[1], 0.0)
    bent = t * t * (p[2] + t * (p[3] + t * (p[4] + t * p[5])))
    below = t * t * t * (p[2] / 3.0 + t * (p[3] / 4.0 + t * (p[4] / 5.0 + t * p[5] / 6.0)))
    return below + over * (bent + 0.5 * over)


@inline
def _second(x: float, p: tuple[float, ...]) -> float:
    """Second antiderivative of e; odd."""
    size = abs(x) - p[0]
    t = min(max(size, 0.0), p[1])
    over = max(size - p[1], 0.0)
    bent = t * t * (p[2] + t * (p[3] + t * (p[4] + t * p[5])))
    below = t * t * t * (p[2] / 3.0 + t * (p[3] / 4.0 + t * (p[4] / 5.0 + t * p[5] / 6.0)))
    lowest = t * t * t * t * (p[2] / 12.0 + t * (p[3] / 20.0 + t * (p[4] / 30.0 + t * p[5] / 42.0)))
    whole = lowest + over * (below + over * (0.5 * bent + over / 6.0))
    return whole if x >= 0.0 else -whole


@inline
def _taken(x: float, p: tuple[float, ...]) -> float:
    """e itself; odd."""
    size = abs(x) - p[0]
    t = min(max(size, 0.0), p[1])
    bent = t * t * (p[2] + t * (p[3] + t * (p[4] + t * p[5]))) + max(size - p[1], 0.0)
    return bent if x >= 0.0 else -bent


@kernel("void(float64[:, ::1], float64[::1], boolean, float64[:, ::1])")
def shape(x: NDArray[np.float64], constants: NDArray[np.float64], smooth: bool, out: NDArray[np.float64]) -> None:
    """What a curve adds, f(x) − x.

    Args:
        x: (2, 2 + samples), two that came before first.
        constants: from :attr:`Curve.constants`.
        smooth: averaged over three samples, and late by one; else plainly of each.
        out: (2, samples).
    """
    samples = out.shape[1]
    p = (constants[0], constants[1], constants[2], constants[3], constants[4], constants[5])
    rest = constants[6]
    k = constants[7]
    weight = constants[8]
    straight = weight - k
    offset = k * rest - constants[9]
    edge = p[0] + p[1]
    u = np.empty(samples + 2)
    second = np.empty(samples + 2)
    slope = np.empty(samples + 2)
    for row in range(2):
        v = x[row]
        y = out[row]
        if not smooth:
            for i in range(samples):
                at = v[i + 2] / k + rest
                y[i] = straight * at - weight * _taken(at, p) + offset
            continue
        for i in range(samples + 2):
            u[i] = v[i] / k + rest
            second[i] = _second(u[i], p)
        for i in range(1, samples + 2):
            apart = u[i] - u[i - 1]
            near = abs(apart) < NEAR
            quotient = (second[i] - second[i - 1]) / (1.0 if near else apart)
            slope[i] = _first(0.5 * (u[i] + u[i - 1]), p) if near else quotient
        for i in range(samples):
            x0 = u[i + 2]
            x1 = u[i + 1]
            x2 = u[i]
            mean = (x0 + x1 + x2) / 3.0
            if min(x0, min(x1, x2)) >= edge or max(x0, max(x1, x2)) <= -edge:
                # all of it lies on the level part
                taken = mean - (1.0 if x0 > 0.0 else -1.0)
            elif abs(x0 - x2) >= NEAR_OUTER:
                taken = 2.0 * (slope[i + 2] - slope[i + 1]) / (x0 - x2)
            else:
                middle = 0.5 * (x0 + x2)
                apart = middle - x1
                if abs(apart) < NEAR_OUTER:
                    taken = _taken((2.0 * middle + x1) / 3.0, p)
                else:
                    taken = 2.0 / apart * (_first(middle, p) - (_second(middle, p) - second[i + 1]) / apart)
            y[i] = straight * mean - weight * taken + offset


@kernel("void(float64[:, ::1], float64[:, ::1], int64, float64[:, ::1])")
def peaks_told(before: NDArray[np.float64], added: NDArray[np.float64], factor: int, out: NDArray[np.float64]) -> None:
    """Of every frame the louder side's peak that meets a curve, and what the curve takes off it.

    Args:
        before: (2, 1 + factor · frames), one sample that came before first: what is added is late by it.
        added: (2, factor · frames).
        out: (2, frames) gain at the peak and the peak, dB.
    """
    for i in range(out.shape[1]):
        peak = 0.0
        after = 0.0
        for row in range(2):
            for j in range(i * factor, (i + 1) * factor):
                size = abs(before[row, j])
                if size > peak:
                    peak = size
                    after = abs(before[row, j] + added[row, j])
        out[1, i] = DB_PER_OCTAVE * log2(max(peak, QUIET))
        out[0, i] = 0.0
        if peak > QUIET:
            out[0, i] = min(DB_PER_OCTAVE * log2(max(after, QUIET) / peak), 0.0)
