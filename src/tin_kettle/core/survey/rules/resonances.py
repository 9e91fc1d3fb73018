"""What rings, and what hisses: narrow resonances and sharp S sounds."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from tin_kettle.core.measure.loudness import SLOTS_PER_S
from tin_kettle.core.measure.tonal_map import BANDS_HZ, smoothed_db
from tin_kettle.core.stages.number_text import db, hz
from tin_kettle.core.survey.finding import Finding
from tin_kettle.core.survey.survey import Survey

RING_DB, RING_TIME = 5.0, 0.3
"""So far above the song's own smooth spectrum, for so much of the time: single notes come and go sooner."""
RING_HZ = (1500.0, 12000.0)
"""Below, the notes themselves stand out; above, nothing is heard to ring."""
LEAP_DB, LEAP_TIME = 9.0, (0.02, 0.3)
"""A resonance that comes and goes stands so far out for a share of the time between these."""
PEAK_DB = 3.0
"""Peaks of a tone above its mean square."""
S_HZ, S_Q = (5500.0, 9500.0), 2.0
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
            f"{hz(centre)} is {db(above_db, signed=False)} above the song's own smoothed spectrum for "
            f"{share[band]:.0%} of the time.",
            round(above_db, 2),
            "dB",
            RING_DB,
            at_s=round(strongest * now.tonal.hop_s, 2),
            fix=f"cut {db(off_db, signed=False)} around {hz(centre)}, mid only",
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
    rows = now.tonal.rows[:, 0].astype(np.float64)
    moment = rows[min(round(float(worst.mean()) / SLOTS_PER_S / now.tonal.hop_s), len(rows) - 1)]
    centre = float(BANDS_HZ[int(np.argmax(np.where((S_HZ[0] < BANDS_HZ) & (S_HZ[1] > BANDS_HZ), moment, -np.inf)))])
    # between the usual level and that of the S, as peaks
    threshold_db = round(max(-80.0, float(sharp[worst].max()) - 0.7 * most_db + PEAK_DB), 1)
    off_db = round(min(6.0, 0.5 * most_db), 1)
    yield Finding(
        "sharp-s",
        f"sibilance, {len(runs)} times",
        f"5.5 to 9.5 kHz rises {db(most_db, signed=False)} above its usual level {len(runs)} times.",
        round(most_db, 2),
        "dB",
        SHARP_OVER_DB,
        at_s=round(float(worst[0]) / SLOTS_PER_S, 2),
        fix=f"cut up to {db(off_db, signed=False)} around {hz(centre)}, only on sibilance",
        stage={
            "id": "soften-s",
            "kind": "dynamic_equalizer",
            "params": {
                "bands": [
                    {
                        "id": "s",
                        "hz": round(centre),
                        "q": S_Q,
                        "range_db": -off_db,
                        "threshold_db": threshold_db,
                        "ratio": 6.0,
                    }
                ]
            },
        },
    )


def comes_and_goes(now: Survey) -> Iterator[Finding]:
    """Resonances that stand far above the spectrum's own smooth line now and then: a pin that moves only then."""
    rows = now.tonal.rows[:, 0].astype(np.float64)
    level = np.max(rows, axis=1)
    loud = np.flatnonzero(level > level.max() - 30.0)
    if len(loud) < 24:
        return
    line = smoothed_db(rows[loud], 1.0)
    excess = rows[loud] - line
    share = np.mean(excess > LEAP_DB, axis=0)
    inside = (RING_HZ[0] < BANDS_HZ) & (RING_HZ[1] > BANDS_HZ) & (share >= LEAP_TIME[0]) & (share < LEAP_TIME[1])
    if not inside.any():
        return
    score = np.where(inside, np.where(excess > LEAP_DB, excess, 0.0).sum(axis=0), 0.0)
    band = int(np.argmax(score))
    there = excess[:, band] > LEAP_DB
    above_db, centre = float(np.median(excess[there, band])), float(BANDS_HZ[band])
    # what the pin hears is a twelfth of an octave's mean square and its neighbours', read as peaks
    threshold_db = round(float(np.median(line[there, band])) + 0.5 * above_db + PEAK_DB, 1)
    off_db = round(min(6.0, 0.6 * above_db), 1)
    yield Finding(
        f"comes-{round(centre)}",
        f"resonance {hz(centre)}, at times",
        f"{hz(centre)} is {db(above_db, signed=False)} above the smoothed spectrum for {share[band]:.0%} of the "
        "time and quiet in between.",
        round(above_db, 2),
        "dB",
        LEAP_DB,
        at_s=round(int(loud[np.argmax(np.where(there, excess[:, band], -np.inf))]) * now.tonal.hop_s, 2),
        fix=f"cut up to {db(off_db, signed=False)} around {hz(centre)}, only while it rings",
        stage={
            "id": f"catch-{round(centre)}",
            "kind": "dynamic_equalizer",
            "params": {
                "bands": [
                    {"id": "catch", "hz": round(centre, 1), "q": 5.0, "range_db": -off_db, "threshold_db": threshold_db,
                     "ratio": 6.0}
                ]
            },
        },
    )  # fmt: skip
