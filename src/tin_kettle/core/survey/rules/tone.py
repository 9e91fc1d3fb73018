"""What rings, and what hisses: narrow resonances and sharp S sounds."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from tin_kettle.core.measure.loudness import SLOTS_PER_S
from tin_kettle.core.measure.tonal import BANDS_HZ, smoothed_db
from tin_kettle.core.stages.words import db, hz
from tin_kettle.core.survey.finding import Finding
from tin_kettle.core.survey.survey import Survey

RING_DB, RING_TIME = 5.0, 0.3
"""So far above the song's own smooth spectrum, for so much of the time: single notes come and go sooner."""
RING_HZ = (1500.0, 12000.0)
"""Below, the notes themselves stand out; above, nothing is heard to ring."""
SHARP_OVER_DB, SHARPEST_S = 9.0, 0.03
"""An S leaps so far above its range's usual level, and lasts longer than a hat."""


def rings(now: Survey) -> Iterator[Finding]:
    """Narrow resonances: bands that stand above the spectrum's own smooth line for long."""
    rows = now.tonal.rows[:, 0].astype(np.float64)
    level = np.max(rows, axis=1)
    loud = rows[level > level.max() - 30.0]
    if len(loud) < 8:
        return
    excess = loud - smoothed_db(loud, 1.0)
    share = np.mean(excess > RING_DB, axis=0)
    inside = (RING_HZ[0] < BANDS_HZ) & (RING_HZ[1] > BANDS_HZ)
    # a melody's notes come and go; what rings stands out whatever is played
    score = np.where(inside, share * np.median(np.maximum(excess, 0.0), axis=0), 0.0)
    for band in np.argsort(score)[::-1][:2]:
        if share[band] < RING_TIME or score[band] <= 0.0 or score[band] < score[max(0, band - 1) : band + 2].max():
            continue
        above_db = float(np.median(excess[:, band][excess[:, band] > RING_DB]))
        centre = float(BANDS_HZ[band])
        strongest = int(np.argmax(rows[:, band] - smoothed_db(rows, 1.0)[:, band]))
        off_db = round(min(3.0, 0.4 * above_db), 1)
        yield Finding(
            f"ring-{round(centre)}",
            f"harsh around {hz(centre)}" if centre > 1500 else f"boomy around {hz(centre)}",
            f"{hz(centre)} stands {db(above_db, signed=False)} above the song's own smooth spectrum for "
            f"{share[band]:.0%} of the time.",
            round(above_db, 2),
            "dB",
            RING_DB,
            at_s=round(strongest * now.tonal.hop_s, 2),
            fix=f"{db(off_db, signed=False)} off around {hz(centre)}, mid only",
            stage={
                "id": f"calm-{round(centre)}",
                "kind": "equalizer",
                "params": {
                    "bands": [{"id": "calm", "hz": round(centre, 1), "gain_db": -off_db, "q": 5.0, "channels": "mid"}]
                },
            },
        )


def sharp(now: Survey) -> Iterator[Finding]:
    """S sounds: 5.5 to 9.5 kHz leaps far above its own level of the seconds around, and leads the moment."""
    sharp, whole = (10.0 * np.log10(np.maximum(s[:, 0] + s[:, 1], 1e-12)) for s in (now.sharp, now.slots))
    count = min(len(sharp), len(whole))
    width = min(count, 4 * SLOTS_PER_S)
    if count < SLOTS_PER_S:
        return
    padded = np.pad(sharp[:count], (width // 2, width - width // 2 - 1), mode="edge")
    usual = np.median(np.lib.stride_tricks.sliding_window_view(padded, width)[::25], axis=1).repeat(25)[:count]
    over = np.where(sharp[:count] > whole[:count] - 8.0, sharp[:count] - usual, 0.0)
    hits = np.flatnonzero(over > SHARP_OVER_DB)
    runs = [
        run for run in np.split(hits, np.flatnonzero(np.diff(hits) > 3) + 1) if len(run) >= SHARPEST_S * SLOTS_PER_S
    ]
    runs = [run for run in runs if sharp[run].max() > -45.0]
    if len(runs) < 2:
        return
    worst = max(runs, key=lambda run: float(over[run].max()))
    most_db = float(over[worst].max())
    yield Finding(
        "sharp-s",
        f"sharp S, {len(runs)} times",
        f"5.5 to 9.5 kHz leaps {db(most_db, signed=False)} above its usual level {len(runs)} times, longer than a hat.",
        round(most_db, 2),
        "dB",
        SHARP_OVER_DB,
        at_s=round(float(worst[0]) / SLOTS_PER_S, 2),
    )
