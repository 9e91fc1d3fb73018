"""Tempo and bars, where a song keeps them: for snapping, for lengths in bars, never for anything that must be right.

Ellis (2007, *Beat tracking by dynamic programming*): an envelope of onsets, its period by a weighted autocorrelation,
and the chain of beats that best agrees with both. A straight grid is laid through the beats; a song whose beats leave
it is free, and has no grid. Bars begin where the low end strikes hardest.
"""

from __future__ import annotations

from dataclasses import asdict, dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from tin_kettle.core.dsp.compile import kernel
from tin_kettle.core.errors import KettleError
from tin_kettle.core.measure.loudness import SLOTS_PER_S
from tin_kettle.core.survey.survey import Survey

USUAL_BPM, SPREAD_OCT = 110.0, 0.9
"""Where tempi lie most often, and how widely about it."""
SLOWEST_BPM, FASTEST_BPM = 45.0, 210.0
TIGHT = 100.0
"""How much a beat that comes too soon or too late costs against the onsets; the paper's."""
FLOOR_DB = 50.0
"""What lies so far below the loudest is no onset."""
STEADY_S = 0.035
"""A grid holds where half of the beats lie so near to it."""
LEAST_SPREAD_DB = 0.15
"""Where levels rise by less, on average, nothing strikes; a tone's own waves beat with the slots."""
LEAST_CONFIDENCE = 0.12
LEAST_S = 8.0
THREES = 1.5
"""Bars of three are believed where they are told so much more clearly than bars of four."""

Row = NDArray[np.float64]


@dataclass(frozen=True)
class BeatGrid:
    """A tempo that holds for the whole song.

    Args:
        bpm: beats a minute.
        first_s: where the first bar begins, at or after nought.
        bar: beats of a bar, 4 or 3.
        confidence: 0–1, autocorrelation of the onsets at the beat: how much of what strikes comes again a beat later.
    """

    bpm: float
    first_s: float
    bar: int
    confidence: float

    @property
    def beat_s(self) -> float:
        """Length of a beat."""
        return 60.0 / self.bpm

    def document(self) -> dict[str, Any]:
        """Plain values."""
        return asdict(self)


def find_grid(survey: Survey) -> BeatGrid | None:
    """Tempo and bars of a song; None where it keeps none, is too short or too quiet to tell."""
    if survey.seconds < LEAST_S:
        return None
    low = _onsets(survey.low)
    onsets = low + _onsets(survey.slots) + _onsets(survey.sharp)
    from scipy.ndimage import gaussian_filter1d  # noqa: PLC0415  takes a third of a second to load

    onsets = gaussian_filter1d(onsets, 2.0)
    spread = float(onsets.std())
    if spread < LEAST_SPREAD_DB:
        return None
    onsets = (onsets - onsets.mean()) / spread
    period, confidence = _period(onsets)
    if confidence < LEAST_CONFIDENCE:
        return None
    beats = _beats(onsets, period)
    if beats.size < 8:
        return None
    beat, first = _straight(beats)
    off = np.abs(beats - (first + beat * np.round((beats - first) / beat)))
    if np.median(off) > STEADY_S * SLOTS_PER_S:
        return None
    bar, phase = _bars(gaussian_filter1d(low, 2.0), first, beat)
    start_s = (first + phase * beat) / SLOTS_PER_S
    bar_s = bar * beat / SLOTS_PER_S
    return BeatGrid(round(60.0 * SLOTS_PER_S / beat, 2), round(start_s % bar_s, 4), bar, round(confidence, 3))


def tapped_grid(taps_s: list[float], bar: int) -> BeatGrid:
    """Tempo and bars as a hand tapped them along, from the first beat of a bar on.

    Args:
        taps_s: seconds of the song, rising, at least four.
        bar: beats of a bar.

    Raises:
        KettleError: they keep no tempo that can be.
    """
    gaps = np.diff(taps_s)
    beat = float(np.median(gaps))
    if beat <= 0 or not SLOWEST_BPM <= 60.0 / beat <= FASTEST_BPM:
        raise KettleError(
            f"the taps are {beat:.2f} s apart; {60 / FASTEST_BPM:.2f} to {60 / SLOWEST_BPM:.2f} s are a beat; tap again"
        )
    # a beat that was left out counts
    count = np.concatenate([[0.0], np.cumsum(np.maximum(np.round(gaps / beat), 1.0))])
    beat, first = (float(found) for found in np.polyfit(count, taps_s, 1))
    return BeatGrid(round(60.0 / beat, 2), round(first % (bar * beat), 4), bar, 1.0)


def _onsets(slots: NDArray[np.float64]) -> Row:
    """(slots,): by how many dB the level rises in 10 ms, where it is near enough to the loudest."""
    energy = slots[:, 0] + slots[:, 1]
    loudest = float(energy.max(initial=0.0))
    if loudest == 0.0:
        return np.zeros(len(slots))
    level_db = 10.0 * np.log10(np.maximum(energy / loudest, 10.0 ** (-FLOOR_DB / 10.0)))
    # the mean of two slots: a low note alone swings within ten milliseconds
    level_db = np.convolve(level_db, [0.5, 0.5])[: len(slots)]
    return np.maximum(np.diff(level_db, prepend=level_db[:1]), 0.0)


def _period(onsets: Row) -> tuple[float, float]:
    """Slots from beat to beat, and how much of the onsets agrees."""
    size = 1 << (2 * onsets.size).bit_length()
    spectrum = np.fft.rfft(onsets, size)
    agrees = np.fft.irfft(np.abs(spectrum) ** 2)[: onsets.size] / onsets.size
    lags = np.arange(round(60 * SLOTS_PER_S / FASTEST_BPM), round(60 * SLOTS_PER_S / SLOWEST_BPM))
    lags = lags[4 * lags + 2 < agrees.size]
    bpm = 60.0 * SLOTS_PER_S / lags
    weight = np.exp(-0.5 * (np.log2(bpm / USUAL_BPM) / SPREAD_OCT) ** 2)
    # a beat's doubles agree as well: what is only a half or a third of a beat does not
    told = agrees[lags] + 0.5 * agrees[2 * lags] + 0.25 * (agrees[2 * lags - 1] + agrees[2 * lags + 1])
    best = int(lags[np.argmax(weight * told)])
    return float(best), float(np.clip(agrees[best], 0.0, 1.0))


def _beats(onsets: Row, period: float) -> Row:
    """Slots of the beats: the chain with the most onset and the least haste."""
    back = np.arange(round(period / 2), round(2 * period) + 1)
    costs = -TIGHT * np.log(back / period) ** 2
    score, came_from = onsets.copy(), np.full(onsets.size, -1)
    _link(costs, int(back[0]), score, came_from)
    ending = score[-round(period) :]
    last = onsets.size - ending.size + int(np.argmax(ending))
    found = [last]
    while came_from[found[-1]] >= 0:
        found.append(int(came_from[found[-1]]))
    return np.array(found[::-1], dtype=np.float64)


@kernel("void(float64[::1], int64, float64[::1], int64[::1])")
def _link(costs: Row, nearest: int, score: Row, came_from: NDArray[np.int64]) -> None:
    """Add to each slot's onset the best score of a beat before it, and note where that was.

    ``costs`` are those of a beat ``nearest`` slots before, of one a slot earlier, and so on.
    """
    for t in range(nearest, score.size):
        most, best = 0.0, -1
        for i in range(min(costs.size, t - nearest + 1)):
            before = score[t - nearest - i] + costs[i]
            if before > most:
                most, best = before, t - nearest - i
        score[t] += most
        came_from[t] = best


def _straight(beats: Row) -> tuple[float, float]:
    """Slots from beat to beat and of the first one, of the grid that the middle of the beats lies nearest to."""
    count = np.arange(beats.size)
    beat, first = np.polyfit(count, beats, 1)
    off = np.abs(beats - (first + beat * count))
    near = off <= max(2.0, 2.0 * float(np.median(off)))
    beat, first = np.polyfit(count[near], beats[near], 1)
    return float(beat), float(first)


def _bars(low: Row, first: float, beat: float) -> tuple[int, int]:
    """Beats of a bar, and which beat begins one."""
    at = np.round(first + beat * np.arange(int((low.size - 1 - first) / beat))).astype(np.intp)
    at = at[(at >= 1) & (at < low.size - 1)]
    strikes = np.max([low[at - 1], low[at], low[at + 1]], axis=0)
    told: dict[int, tuple[float, int]] = {}
    for bar in (4, 3):
        means = [float(strikes[phase::bar].mean()) for phase in range(bar)]
        told[bar] = (max(means) - float(np.mean(means)), int(np.argmax(means)))
    bar = 3 if told[3][0] > THREES * told[4][0] else 4
    return bar, told[bar][1]
