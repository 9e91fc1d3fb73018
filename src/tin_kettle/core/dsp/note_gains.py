"""The gain that brings each note of a sound to the sound's own long average.

A note begins where the power of what follows differs from the power of what came before, both over a short window, and
lasts until the next one; a sound that lasts is judged again from time to time. Its level is its power near its
beginning, its gain is constant. All of it is known before the note is put out, so the gain changes at its beginning.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from tin_kettle.core.dsp.compile import kernel
from tin_kettle.core.dsp.decibels import DB_PER_OCTAVE, log2

SILENT_DB, QUIETEST_DB = -200.0, -70.0
"""The level of nothing; below the second nothing is music."""
NEAR_DB, FAR_DB = 12.0, 24.0
"""So far below its average a sound still counts as a note to be raised, and from here on it is a rest."""
BORDER_RATIO = 10.0**0.25
"""Of the powers after and before: 2.5 dB."""
AVERAGE_STEP_DB = 3.0
"""No note pulls at the average by more than if it lay so far away: a single loud one leaves it alone."""
QUEUE = 64
"""Notes that may have begun and not yet been put out."""
_FLOOR, _SILENT = 10.0 ** (QUIETEST_DB / 10.0), 10.0 ** (SILENT_DB / 10.0)
# places of what is remembered as numbers
GAIN, STEP, LEVEL, AVERAGE, WEIGHT, PEAK = range(6)
TIME, RAMP_LEFT, PEAK_AT, NEWEST, FIRST, COUNT = range(6)


@dataclass(frozen=True)
class NoteSpans:
    """Lengths in frames.

    Args:
        window: on both sides of a border.
        judged: of a note's beginning, what tells its level.
        longest: until a sound that lasts is judged again.
        ramp: of a change of gain.
        lead: how long before a note's beginning the gain starts to change.
        ahead: known after a note's beginning: at least judged + 2·window + lead.
    """

    window: int
    judged: int
    longest: int
    ramp: int
    lead: int
    ahead: int

    @property
    def row(self) -> NDArray[np.int64]:
        """For the kernel."""
        return np.array([self.window, self.judged, self.longest, self.ramp, self.lead], dtype=np.int64)

    def silence(self) -> dict[str, NDArray[np.generic]]:
        """State of :func:`levelling_db` before the first sample."""
        numbers, counters = np.zeros(6), np.zeros(6, dtype=np.int64)
        numbers[LEVEL] = SILENT_DB
        counters[NEWEST] = -self.judged
        return {
            "sums": np.zeros(self.ahead + 2),
            "numbers": numbers,
            "counters": counters,
            "begins": np.zeros(QUEUE, dtype=np.int64),
        }


@kernel(
    "void(float64[:, ::1], int64[::1], float64, float64, float64[::1], float64[::1], int64[::1], int64[::1],"
    " float64[:, ::1])"
)
def levelling_db(
    signal: NDArray[np.float64],
    spans: NDArray[np.int64],
    reach_db: float,
    slow: float,
    sums: NDArray[np.float64],
    numbers: NDArray[np.float64],
    counters: NDArray[np.int64],
    begins: NDArray[np.int64],
    out: NDArray[np.float64],
) -> None:
    """Gain, level of the note, and average of every sample, in dB, late by :attr:`NoteSpans.ahead`.

    The average is that of the notes' levels in dB by ``slow``, divided by the share of time that it has heard. A note's
    gain is average − level within ±reach, as the average was when it began, and between 12 and 24 dB below the average
    falls to nothing: rests are not raised.

    Args:
        signal: (2, frames).
        spans: from :attr:`NoteSpans.row`.
        slow: share a sample (:func:`one_pole`).
        sums, numbers, counters, begins: state, as :meth:`NoteSpans.silence`.
        out: (3, frames) gain, level, average.
    """
    window, judged, longest, ramp, lead = spans[0], spans[1], spans[2], spans[3], spans[4]
    size = sums.shape[0]
    ahead = size - 2
    queue = begins.shape[0]
    gain, step, level_db = numbers[GAIN], numbers[STEP], numbers[LEVEL]
    average_db, weight, peak = numbers[AVERAGE], numbers[WEIGHT], numbers[PEAK]
    time, ramp_left, peak_at = counters[TIME], counters[RAMP_LEFT], counters[PEAK_AT]
    newest, first, count = counters[NEWEST], counters[FIRST], counters[COUNT]
    floor = _FLOOR * window
    for i in range(signal.shape[1]):
        power = 0.5 * (signal[0, i] * signal[0, i] + signal[1, i] * signal[1, i])
        now = sums[time % size] + power
        time += 1
        sums[time % size] = now
        # how much louder or softer it becomes a window ago
        middle = sums[max(time - window, 0) % size] if time > window else 0.0
        early = sums[(time - 2 * window) % size] if time > 2 * window else 0.0
        after, before = now - middle + floor, middle - early + floor
        ratio = after / before if after > before else before / after
        centre = time - window
        if centre < newest + judged:
            peak = -ratio  # a fall within what a note is judged by belongs to it, also where it ends after that
        elif ratio <= BORDER_RATIO:
            peak = max(peak, 0.0)
        elif ratio > abs(peak):
            peak = ratio
            peak_at = centre
        border = peak > 0.0 and centre - peak_at >= window
        if not border and centre - newest >= longest:
            border = True
            peak_at = centre
        if border:
            if count < queue:
                begins[(first + count) % queue] = max(peak_at, 0)
                count += 1
            newest = peak_at
            peak = 0.0
        # what is put out now
        heard = time - 1 - ahead
        if count > 0 and heard + lead >= begins[first]:
            begin = begins[first]
            until = begin + judged
            if count > 1:
                until = min(until, begins[(first + 1) % queue])
            first = (first + 1) % queue
            count -= 1
            mean = (sums[until % size] - sums[begin % size]) / max(until - begin, 1)
            level_db = max(0.5 * DB_PER_OCTAVE * log2(max(mean, _SILENT)), SILENT_DB)
            if weight == 0.0:
                average_db = level_db
            below = average_db - level_db
            target = min(max(below, -reach_db), reach_db)
            if below > NEAR_DB:
                target *= max(0.0, (FAR_DB - below) / (FAR_DB - NEAR_DB))
            if level_db <= QUIETEST_DB:
                target = 0.0
            ramp_left = ramp
            step = (target - gain) / ramp
        if ramp_left > 0:
            gain += step
            ramp_left -= 1
            if ramp_left == 0 and abs(gain) < 1e-9:
                gain = 0.0
        if level_db > QUIETEST_DB and level_db > average_db - NEAR_DB:
            weight += slow * (1.0 - weight)
            average_db += slow / weight * min(max(level_db - average_db, -AVERAGE_STEP_DB), AVERAGE_STEP_DB)
        out[0, i] = gain
        out[1, i] = level_db
        out[2, i] = average_db
    numbers[GAIN], numbers[STEP], numbers[LEVEL] = gain, step, level_db
    numbers[AVERAGE], numbers[WEIGHT], numbers[PEAK] = average_db, weight, peak
    counters[TIME], counters[RAMP_LEFT], counters[PEAK_AT] = time, ramp_left, peak_at
    counters[NEWEST], counters[FIRST], counters[COUNT] = newest, first, count
