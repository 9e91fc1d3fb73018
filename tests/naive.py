"""Plain twins of the kernels: obviously right, not fast. One sample, one line of thought at a time."""

from __future__ import annotations

import itertools
import math

import numpy as np
from numpy.typing import NDArray

Samples = NDArray[np.float64]


def svf_cascade(block: Samples, sections: Samples) -> Samples:
    """Each section as the difference equation of its bilinear transform."""
    out = block.copy()
    for g, k, c0, c1, c2 in sections:
        d = 1 + g * k + g * g
        b = [(c0 + c1 * g + c2 * g * g) / d, (2 * c2 * g * g - 2 * c0) / d, (c0 - c1 * g + c2 * g * g) / d]
        a = [(2 * g * g - 2) / d, (1 - g * k + g * g) / d]
        for row in out:
            x1 = x2 = y1 = y2 = 0.0
            for i, x in enumerate(row):
                y = b[0] * x + b[1] * x1 + b[2] * x2 - a[0] * y1 - a[1] * y2
                x1, x2, y1, y2 = x, x1, y, y1
                row[i] = y
    return out


def static_gain_db(level: float, threshold: float, ratio: float, knee: float, most: float) -> float:
    over = level - threshold
    slope = 1 / ratio - 1
    if 2 * abs(over) <= knee and knee > 0:
        gain = slope * (over + knee / 2) ** 2 / (2 * knee)
    else:
        gain = slope * over if over > 0 else 0.0
    return max(gain, -most)


def compressor_gain_db(
    block: Samples,
    threshold: float,
    ratio: float,
    knee: float,
    most: float,
    attack_ms: float,
    release_ms: float,
    link: float,
    rate_hz: float,
) -> Samples:
    """Gain of every sample by the contract's words."""
    gains = np.zeros_like(block)
    now = [0.0, 0.0]
    for i in range(block.shape[1]):
        own = [20 * math.log10(max(abs(block[c, i]), 1e-10)) for c in range(2)]
        for c in range(2):
            level = own[c] + link * (max(own) - own[c])
            target = static_gain_db(level, threshold, ratio, knee, most)
            tau = attack_ms if target < now[c] else release_ms
            now[c] += (1 - math.exp(-1000 / (tau * rate_hz))) * (target - now[c])
            gains[c, i] = now[c]
    return gains


def programme_gain_db(targets: Samples, attack: float, release: float, rise: float, fall: float) -> Samples:
    """One channel of the release that follows the programme; times as shares a sample."""
    out, work, lasting = [], 0.0, 0.0
    for gain in targets:
        target = -gain
        lasting += (rise if target > lasting else fall) * (target - lasting)
        if target > work:
            work += attack * (target - work)
        else:
            work += release * (max(target, min(lasting, work)) - work)
        out.append(-work)
    return np.array(out)


def optical_gain_db(targets: Samples, attack: float, quick: float, slow: float, memory: float) -> Samples:
    """One channel of the two-stage recovery; times as shares a sample."""
    out, cells, past = [], [0.0, 0.0], 0.0
    for gain in targets:
        target = -gain
        past += memory * (target - past)
        tired = min(past / 6, 1.0)
        for i, share in enumerate((quick, quick + tired * (slow - quick))):
            cells[i] += (attack if target > cells[i] else share) * (target - cells[i])
        out.append(-sum(cells) / 2)
    return np.array(out)


def sliding_maximum(values: Samples, window: int) -> Samples:
    return np.array([values[i : i + window].max() for i in range(len(values) - window + 1)])


def released(demand: Samples, release: float) -> Samples:
    out, now = [], 0.0
    for d in demand:
        now = d if d >= now else now + release * (d - now)
        out.append(now)
    return np.array(out)


def moving_mean(values: Samples, length: int) -> Samples:
    padded = np.concatenate([np.zeros(length - 1), values])
    return np.array([padded[i : i + length].mean() for i in range(len(values))])


def interpolated(x: Samples, factor: int = 32) -> Samples:
    """The band-limited curve through the samples of a periodic signal, ``factor`` points a sample."""
    spectrum = np.fft.rfft(x)
    return np.asarray(np.fft.irfft(spectrum, len(x) * factor) * factor)


def slot_energies(weighted: Samples, rate_hz: float) -> Samples:
    """Mean LL, RR, LR of stretches of 10 ms."""
    count = int(weighted.shape[1] * 100 / rate_hz)
    edges = [math.ceil(n * rate_hz / 100 - 0.5) for n in range(count + 1)]
    rows = []
    for a, b in itertools.pairwise(edges):
        left, right = weighted[:, a:b]
        if b <= weighted.shape[1]:
            rows.append([np.mean(left * left), np.mean(right * right), np.mean(left * right)])
    return np.array(rows)


def bands(row: Samples, corners: tuple[float, ...], rate_hz: float) -> list[Samples]:
    """A Linkwitz–Riley splitter as two Butterworth filters in a row, low and high, and their sum for an all-pass."""
    from scipy import signal

    def twice(part: Samples, hz: float, kind: str) -> Samples:
        sections = signal.butter(2, hz, kind, fs=rate_hz, output="sos")
        return np.asarray(signal.sosfilt(sections, signal.sosfilt(sections, part)))

    parts: list[Samples] = []
    rest = row
    for hz in corners:
        parts = [twice(part, hz, "low") + twice(part, hz, "high") for part in parts]
        parts.append(twice(rest, hz, "low"))
        rest = twice(rest, hz, "high")
    return [*parts, rest]


def fewest_lines(times: Samples, heights: Samples, tolerance: float) -> int:
    """How many straight lines between given points pass all points between near enough: every pair is tried."""
    least = [0] + [len(times)] * (len(times) - 1)
    for j in range(1, len(times)):
        for i in range(j):
            line = np.interp(times[i : j + 1], times[[i, j]], heights[[i, j]])
            if np.all(np.abs(line - heights[i : j + 1]) <= tolerance + 1e-12):
                least[j] = min(least[j], least[i] + 1)
    return least[-1]
