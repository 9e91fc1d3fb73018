"""A low end that does not stay where it is."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from tin_kettle.core.measure.tonal_map import BANDS_HZ
from tin_kettle.core.stages.number_text import db, hz
from tin_kettle.core.survey.finding import Finding
from tin_kettle.core.survey.survey import Survey

LOW_HZ = 120.0
BEAT_S = 0.5
"""A bass is even or not from note to note; within a note it may do as it likes."""
LOOSE_DB = 4.0
"""By so much more than all the rest the lows may vary from note to note, as the distance of the 10th and the 90th
percentile: a bass line that is played evenly stays below."""
NOTE_DB = 18.0
"""What lies farther below the loudest is no note."""
CREST_DB = 4.0
"""How far the peaks of a low note lie above its mean square."""


def loose_low(now: Survey) -> Iterator[Finding]:
    """Lows that vary more than the rest, by time; and the note that leaps out."""
    rows = now.tonal.rows[:, 0].astype(np.float64)
    width = max(1, round(BEAT_S / now.tonal.hop_s))
    count = len(rows) // width
    if count < 12:
        return
    power = (10.0 ** (rows[: count * width] / 10.0)).reshape(count, width, -1).mean(axis=1)
    under = BANDS_HZ < LOW_HZ
    low_db, rest_db = 10.0 * np.log10(power[:, under].sum(axis=1)), 10.0 * np.log10(power[:, ~under].sum(axis=1))
    # a bass that rests is not loose
    loud = (low_db > low_db.max() - NOTE_DB) & (rest_db > rest_db.max() - 25.0)
    if loud.mean() < 0.3 or low_db.max() < rest_db.max() - 20.0:
        return
    apart_db = float(_span(low_db[loud]) - _span(rest_db[loud]))
    if apart_db < LOOSE_DB:
        return
    worst = int(np.argmax(np.where(loud, low_db, -np.inf)))
    notes = rows[:, under]
    leap = np.percentile(notes, 95, axis=0) - np.percentile(notes, 60, axis=0)
    leap[np.percentile(notes, 95, axis=0) < notes.max() - 12.0] = 0.0
    note = float(BANDS_HZ[int(np.argmax(leap))])
    threshold_db = round(float(np.median(low_db[loud])) + CREST_DB - 1.0, 1)
    yield Finding(
        "low-end-loose",
        f"uneven low end, {hz(note)}",
        f"Below {hz(LOW_HZ)} the level varies {db(apart_db, signed=False)} more from note to note than it does "
        f"above, most around {hz(note)}.",
        round(apart_db, 2),
        "dB",
        LOOSE_DB,
        at_s=round(worst * width * now.tonal.hop_s, 2),
        fix=f"compress the band below {hz(LOW_HZ)}",
        stage={
            "id": "firm-low",
            "kind": "band_dynamics",
            "params": {
                "crossovers_hz": [LOW_HZ],
                "bands": [
                    {"id": "low", "threshold_db": max(-60.0, min(0.0, threshold_db)), "ratio": 3.0, "attack_ms": 15.0,
                     "release_ms": 150.0},
                    {"id": "rest"},
                ],
            },
        },
    )  # fmt: skip


def _span(levels_db: np.ndarray) -> float:
    low, high = np.percentile(levels_db, [10, 90])
    return float(high - low)
