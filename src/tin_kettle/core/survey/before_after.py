"""Before and after, for a song, a section or a loop: spectra, loudness, peaks, crest and width, as plain figures."""

from __future__ import annotations

from typing import Any

import numpy as np

from tin_kettle.core.dsp.decibels import gain_to_db
from tin_kettle.core.measure import loudness
from tin_kettle.core.measure.loudness import MOMENTARY_SLOTS, SHORT_TERM_SLOTS
from tin_kettle.core.measure.peaks import correlation
from tin_kettle.core.measure.tonal_map import BANDS_HZ
from tin_kettle.core.survey.survey import PEAK_HOP, Survey

RANGES = (("lows", 20.0, 150.0), ("low mids", 150.0, 600.0), ("mids", 600.0, 4000.0), ("highs", 4000.0, 16000.0))


def describe_passage(survey: Survey, start: int, end: int) -> dict[str, Any]:
    """What a passage (song frames) is: figures in dB and LU, and spectra at ``hz``."""
    energy = survey.passage(survey.slots, start, end)
    stereo = loudness.stereo_energy(energy)
    integrated = loudness.integrated_lufs(stereo)
    mono = loudness.integrated_lufs(loudness.mono_energy(energy))
    peaks = survey.peaks[start // PEAK_HOP : max(start // PEAK_HOP + 1, -(-end // PEAK_HOP))]
    # peaks are kept as they leave the meter, a little late: the whole song has its own figure
    whole = start <= 0 and end >= survey.frames
    true_peak = survey.measures["true_peak_dbtp"] if whole else gain_to_db(float(peaks.max(initial=0.0)))
    start_s, end_s = start / survey.rate_hz, end / survey.rate_hz
    average, loudest = survey.tonal.average_db(start_s, end_s), survey.tonal.maximum_db(start_s, end_s)
    return {
        "integrated_lufs": integrated,
        "max_momentary_lufs": loudness.highest_lufs(stereo, MOMENTARY_SLOTS),
        "max_short_term_lufs": loudness.highest_lufs(stereo, SHORT_TERM_SLOTS),
        "loudness_range_lu": loudness.loudness_range_lu(stereo),
        "true_peak_dbtp": true_peak,
        "peak_to_loudness_lu": None if integrated is None else true_peak - integrated,
        "correlation": correlation(*energy.mean(axis=0)),
        "low_correlation": correlation(*survey.passage(survey.low, start, end).mean(axis=0)),
        "mono_loss_lu": None if integrated is None or mono is None else integrated - mono,
        "hz": BANDS_HZ.round(2).tolist(),
        "average_db": average.round(2).tolist(),
        "maximum_db": loudest.round(2).tolist(),
        "ranges": [
            {
                "name": name,
                "level_db": _level_db(average, low, high),
                "crest_db": _crest_db(survey, start_s, end_s, low, high),
                "side_share": _side_share(average, low, high),
            }
            for name, low, high in RANGES
        ],
    }


def _inside(low_hz: float, high_hz: float) -> slice:
    first, last = np.searchsorted(BANDS_HZ, [low_hz, high_hz])
    return slice(int(first), int(last))


def _level_db(average: np.ndarray, low_hz: float, high_hz: float) -> float:
    power = np.sum(10.0 ** (average[:, _inside(low_hz, high_hz)] / 10.0))
    return round(float(10.0 * np.log10(power)), 2)


def _crest_db(survey: Survey, start_s: float, end_s: float, low_hz: float, high_hz: float) -> float:
    """Loudest moment over the average, of all that lies in a range."""
    rows = survey.tonal.passage(start_s, end_s)[:, :, _inside(low_hz, high_hz)].astype(np.float64)
    power = np.sum(10.0 ** (rows / 10.0), axis=(1, 2))
    return round(float(10.0 * np.log10(power.max() / power.mean())), 2)


def _side_share(average: np.ndarray, low_hz: float, high_hz: float) -> float:
    mid, side = np.sum(10.0 ** (average[:, _inside(low_hz, high_hz)] / 10.0), axis=1)
    return round(float(side / (mid + side)), 4)
