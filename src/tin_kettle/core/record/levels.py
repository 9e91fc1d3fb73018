"""A song's figures at its level in the record."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from tin_kettle.core.measure.loudness import SHORT_TERM_SLOTS, SLOTS_PER_S, running_lufs, stereo_energy
from tin_kettle.core.measure.song_measures import Measures
from tin_kettle.core.record.document import SongLayout
from tin_kettle.core.record.layout import left_of
from tin_kettle.core.survey.survey import Survey, columns

MOVED = ("integrated_lufs", "max_momentary_lufs", "max_short_term_lufs", "true_peak_dbtp", "sample_peak_dbfs")
"""Measures that a level moves; the others are the song's own."""
QUIETEST_LUFS = -70.0


def measures_in_record(survey: Survey, laid: SongLayout) -> Measures:
    """The whole song's measures as they are in the record; what is not known stays None."""
    measures = dict(survey.measures)
    for name in MOVED:
        if measures[name] is not None:
            measures[name] += laid.gain_db
    return measures


def short_term_in_record(survey: Survey, laid: SongLayout, count: int) -> list[float | None]:
    """Short-term loudness of what is left of a song in ``count`` columns; None below −70 LUFS.

    Raises:
        AudioError: nothing is left of it.
    """
    start, end = left_of(laid, survey.frames, survey.rate_hz)
    running = running_lufs(stereo_energy(survey.slots), SHORT_TERM_SLOTS) + laid.gain_db
    row: NDArray[np.float64] = columns(running, survey.rate_hz / SLOTS_PER_S, start, end, count, np.maximum)
    return [None if value < QUIETEST_LUFS else round(float(value), 2) for value in row]
