"""Curves for saturating and clipping, smoothed between samples so that little of what they add folds back.

A curve is odd, rises by 1 at nought and levels off at 1. It is held as what it takes away, e(x) = x − f(x): nothing up
to ``start``, a polynomial over the next ``span``, and from there on x − 1. With E₂ the second antiderivative of e, the
mean of e over all mixtures of three neighbouring samples is a divided difference (Hermite and Genocchi; for sound:
Bilbao, Esqueda, Parker and Välimäki 2017, *Antiderivative antialiasing for memoryless nonlinearities*):

    2/(x₀ − x₂) · [(E₂(x₀) − E₂(x₁))/(x₀ − x₁) − (E₂(x₁) − E₂(x₂))/(x₁ − x₂)]

Of a power it is 2·hₙ/((n + 1)·(n + 2)), hₙ the sum of all products of n of the three: where a curve is one polynomial
on both sides of nought, and nothing goes beyond its bend, no quotient is needed.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from tin_kettle.core.dsp.compile import inline, kernel
from tin_kettle.core.dsp.decibels import DB_PER_OCTAVE, log2

LOWEST_DB, CLASS_DB = -48.0, 1.5
"""Classes of level in which peaks are counted."""
NEAR, NEAR_OUTER = 1e-5, 1e-4
"""Differences below which a quotient would be noise, so that the middle is taken."""
QUIET = 1e-3
"""What does not rise above this meets hardly any bend."""
LEAST = 1e-6
LEAST_POWER = 1e-9
"""Below −90 dB there is no sound that anything could be a share of."""
_RUN = 256
_THIRD, _SIXTH, _TWELFTH, _THIRTIETH, _LAST = 1.0 / 3.0, 1.0 / 6.0, 1.0 / 12.0, 1.0 / 30.0, 1.0 / 42.0
_TWENTY_FIRST = 1.0 / 21.0


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
def _bent(size: float, span: float) -> float:
    """A distance from the start of the bend, held between 0 and its span; without a branch, so that it vectorises."""
    return 0.5 * (abs(size) - abs(size - span) + span)


@inline
def _over(size: float, span: float) -> float:
    """How far beyond the bend."""
    return 0.5 * (size - span + abs(size - span))


@inline
def _first(x: float, p: tuple[float, ...]) -> float:
    """First antiderivative of e; even."""
    size = abs(x) - p[0]
    t = _bent(size, p[1])
    over = _over(size, p[1])
    bent = t * t * (p[2] + t * (p[3] + t * (p[4] + t * p[5])))
    below = t * t * t * (p[2] * _THIRD + t * (p[3] * 0.25 + t * (p[4] * 0.2 + t * p[5] * _SIXTH)))
    return below + over * (bent + 0.5 * over)


@inline
def _second(x: float, p: tuple[float, ...]) -> float:
    """Second antiderivative of e; odd."""
    size = abs(x) - p[0]
    t = _bent(size, p[1])
    over = _over(size, p[1])
    bent = t * t * (p[2] + t * (p[3] + t * (p[4] + t * p[5])))
    below = t * t * t * (p[2] * _THIRD + t * (p[3] * 0.25 + t * (p[4] * 0.2 + t * p[5] * _SIXTH)))
    lowest = t * t * t * t * (p[2] * _TWELFTH + t * (p[3] * 0.05 + t * (p[4] * _THIRTIETH + t * p[5] * _LAST)))
    whole = lowest + over * (below + over * (0.5 * bent + over * _SIXTH))
    return math.copysign(whole, x)


@inline
def _taken(x: float, p: tuple[float, ...]) -> float:
    """e itself; odd."""
    size = abs(x) - p[0]
    t = _bent(size, p[1])
    return math.copysign(t * t * (p[2] + t * (p[3] + t * (p[4] + t * p[5]))) + _over(size, p[1]), x)


@inline
def _mean_of_powers(x0: float, x1: float, x2: float, third: float, fifth: float) -> float:
    """Mean of ``third``·x³ + ``fifth``·x⁵ over all mixtures of three."""
    e1 = x0 + x1 + x2
    e2 = x0 * (x1 + x2) + x1 * x2
    e3 = x0 * x1 * x2
    h2 = e1 * e1 - e2
    h3 = e1 * (h2 - e2) + e3
    h5 = e1 * (e1 * h3 - e2 * h2 + e3 * e1) - e2 * h3 + e3 * h2
    return 0.1 * third * h3 + fifth * _TWENTY_FIRST * h5


@kernel("void(float64[:, ::1], float64[::1], boolean, int64, float64[:, ::1])")
def shape(
    x: NDArray[np.float64], constants: NDArray[np.float64], smooth: bool, room: int, out: NDArray[np.float64]
) -> None:
    """What a curve adds, f(x) − x.

    Args:
        x: (2, 2 + samples), two that came before first.
        constants: from :attr:`Curve.constants`.
        smooth: averaged over three samples, and late by one; else plainly of each.
        room: columns of ``out`` that are left as they are.
        out: (2, room + samples).
    """
    samples = out.shape[1] - room
    p = (constants[0], constants[1], constants[2], constants[3], constants[4], constants[5])
    rest = constants[6]
    k = constants[7]
    weight = constants[8]
    straight = (weight - k) * _THIRD
    offset = k * rest - constants[9]
    scale = 1.0 / k
    edge = p[0] + p[1]
    quiet = max(p[0], QUIET)
    # an odd polynomial is the same one on both sides of nought
    within = edge if p[0] == 0.0 and p[2] == 0.0 and p[4] == 0.0 else 0.0
    u = np.empty(_RUN + 2)
    second = np.empty(_RUN + 2)
    slope = np.empty(_RUN + 1)
    flags = np.empty(_RUN + 1, dtype=np.int64)
    odd = np.empty(_RUN + 1, dtype=np.int64)
    for row in range(2):
        if not smooth:
            for i in range(samples):
                at = x[row, i + 2] * scale + rest
                out[row, room + i] = 3.0 * straight * at - weight * _taken(at, p) + offset
            continue
        for start in range(0, samples, _RUN):
            run = min(_RUN, samples - start)
            v = x[row, start:]
            y = out[row, room + start :]
            for i in range(run + 2):
                u[i] = v[i] * scale + rest
            # counted, since counting vectorises and finding the loudest does not
            bent = 0
            beyond = 0
            for i in range(run + 2):
                bent += int(abs(u[i]) > quiet)
                beyond += int(abs(u[i]) > within)
            if beyond == 0:
                for i in range(run):
                    taken = _mean_of_powers(u[i], u[i + 1], u[i + 2], p[3], p[5])
                    y[i] = straight * (u[i] + u[i + 1] + u[i + 2]) - weight * taken + offset
                continue
            if bent == 0:
                # so little bends that the mean of three is as good
                for i in range(run):
                    total = u[i] + u[i + 1] + u[i + 2]
                    y[i] = straight * total - weight * _taken(_THIRD * total, p) + offset
                continue
            for i in range(run + 2):
                second[i] = _second(u[i], p)
            # quotients of all vectorise; the few that are none are marked and done by themselves
            some = 0
            for i in range(run + 1):
                apart = u[i + 1] - u[i]
                slope[i] = (second[i + 1] - second[i]) / apart
                flags[i] = int(abs(apart) < NEAR)
                some += flags[i]
            count = 0
            if some:
                for i in range(run + 1):
                    odd[count] = i
                    count += flags[i]
            for m in range(count):
                i = odd[m]
                slope[i] = _first(0.5 * (u[i + 1] + u[i]), p)
            some = 0
            for i in range(run):
                x0 = u[i + 2]
                x1 = u[i + 1]
                x2 = u[i]
                apart = x0 - x2
                total = x0 + x1 + x2
                level = (min(x0, min(x1, x2)) >= edge) | (max(x0, max(x1, x2)) <= -edge)
                taken = 2.0 * (slope[i + 1] - slope[i]) / apart
                # exactly, where all of it lies on the level part
                taken = _THIRD * total - math.copysign(1.0, x1) if level else taken
                y[i] = straight * total - weight * taken + offset
                flags[i] = int((abs(apart) < NEAR_OUTER) & (not level))
                some += flags[i]
            count = 0
            if some:
                for i in range(run):
                    odd[count] = i
                    count += flags[i]
            for m in range(count):
                i = odd[m]
                x1 = u[i + 1]
                middle = 0.5 * (u[i + 2] + u[i])
                apart = middle - x1
                total = 2.0 * middle + x1
                if abs(apart) < NEAR_OUTER:
                    taken = _taken(_THIRD * total, p)
                else:
                    taken = 2.0 / apart * (_first(middle, p) - (_second(middle, p) - second[i + 1]) / apart)
                y[i] = straight * total - weight * taken + offset
            # samples whose own three would let a whole run take a short way take it here as well: no block may show
            if within > 0.0:
                for i in range(run):
                    loudest = max(abs(u[i]), max(abs(u[i + 1]), abs(u[i + 2])))
                    taken = _mean_of_powers(u[i], u[i + 1], u[i + 2], p[3], p[5])
                    plain = straight * (u[i] + u[i + 1] + u[i + 2]) - weight * taken + offset
                    y[i] = plain if loudest <= within else y[i]
            else:
                for i in range(run):
                    loudest = max(abs(u[i]), max(abs(u[i + 1]), abs(u[i + 2])))
                    total = u[i] + u[i + 1] + u[i + 2]
                    plain = straight * total - weight * _taken(_THIRD * total, p) + offset
                    y[i] = plain if loudest <= quiet else y[i]


@kernel("void(float64[:, ::1], float64[:, ::1], int64, int64, int64, float64[::1], float64[:, ::1])")
def peaks_told(
    before: NDArray[np.float64],
    added: NDArray[np.float64],
    first: int,
    room: int,
    factor: int,
    out: NDArray[np.float64],
    met: NDArray[np.float64],
) -> None:
    """Of every frame the louder side's peak that meets a curve; peaks before and after it are counted.

    Args:
        before: (2, at least first + factor · frames), the sound from column ``first`` on.
        factor: 1, 2, 4 or 8.
        added: (2, room + factor · frames).
        out: (frames,) the peak, dB.
        met: (2, classes) counts of the peaks before and after, by levels from ``LOWEST_DB`` on in steps of
            ``CLASS_DB``.
    """
    frames = out.shape[0]
    width = factor * frames
    came = np.empty(width)
    left = np.empty(width)
    a, b = before[0, first:], before[1, first:]
    c, d = added[0, room:], added[1, room:]
    for i in range(width):
        came[i] = max(abs(a[i]), abs(b[i]))
        left[i] = max(abs(a[i] + c[i]), abs(b[i] + d[i]))
    while width > frames:
        # of two neighbours the higher, until a frame has one
        width //= 2
        for i in range(width):
            came[i] = max(came[2 * i], came[2 * i + 1])
            left[i] = max(left[2 * i], left[2 * i + 1])
    for i in range(frames):
        out[i] = DB_PER_OCTAVE * log2(max(came[i], LEAST))
        left[i] = DB_PER_OCTAVE * log2(max(left[i], LEAST))
    last = met.shape[1] - 1.0
    for i in range(frames):
        came[i] = min((out[i] - LOWEST_DB) / CLASS_DB, last)
        left[i] = min((left[i] - LOWEST_DB) / CLASS_DB, last)
    for i in range(frames):
        if came[i] >= 0.0:
            met[0, int(came[i])] += 1.0
        if left[i] >= 0.0:
            met[1, int(left[i])] += 1.0


@kernel("void(float64[:, ::1], float64[:, ::1], float64, float64[::1], float64[:, ::1])")
def share_added(
    added: NDArray[np.float64],
    sound: NDArray[np.float64],
    share: float,
    state: NDArray[np.float64],
    out: NDArray[np.float64],
) -> None:
    """How much of a sound's energy is what was added, over the last while: one-pole means of both, sides together.

    Args:
        added, sound: (2, frames).
        share: of the distance that the means cover in a sample.
        state: (2,) both means.
        out: (1, frames) dB; −100 where next to nothing was added.
    """
    new, whole = state[0], state[1]
    told = out[0]
    for i in range(told.shape[0]):
        new += share * (added[0, i] * added[0, i] + added[1, i] * added[1, i] - new)
        whole += share * (sound[0, i] * sound[0, i] + sound[1, i] * sound[1, i] - whole)
        told[i] = new / max(whole, LEAST_POWER)
    state[0] = new if new > 1e-20 else 0.0
    state[1] = whole if whole > 1e-20 else 0.0
    for i in range(told.shape[0]):
        told[i] = 0.5 * DB_PER_OCTAVE * log2(max(told[i], 1e-10))


@kernel("void(float64[:, ::1], float64[:, ::1], float64, float64[::1], float64[:, ::1])")
def crests_taken(
    before: NDArray[np.float64],
    after: NDArray[np.float64],
    fall: float,
    state: NDArray[np.float64],
    out: NDArray[np.float64],
) -> None:
    """What is taken off the crests of a sound: how its envelope lies after a curve against before it, never above.

    Args:
        before, after: (2, frames).
        fall: of the envelopes, which take every peak at once, to this share a sample.
        state: (2,) both envelopes.
        out: (1, frames) dB.
    """
    came, left = state[0], state[1]
    for i in range(out.shape[1]):
        came = max(came * fall, max(abs(before[0, i]), abs(before[1, i])))
        left = max(left * fall, max(abs(after[0, i]), abs(after[1, i])))
        out[0, i] = 1.0
        if came > LEAST:
            out[0, i] = min(max(left, LEAST) / came, 1.0)
    state[0] = came if came > 1e-20 else 0.0
    state[1] = left if left > 1e-20 else 0.0
    for i in range(out.shape[1]):
        out[0, i] = DB_PER_OCTAVE * log2(out[0, i])
