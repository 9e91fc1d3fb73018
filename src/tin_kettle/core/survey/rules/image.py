"""The stereo image: lows in the side, a middle that leans, what mono loses."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from tin_kettle.core.measure import loudness
from tin_kettle.core.measure.loudness import SHORT_TERM_SLOTS, SLOTS_PER_S
from tin_kettle.core.stages.number_text import bare, db
from tin_kettle.core.survey.finding import Finding
from tin_kettle.core.survey.stage_image import mono_loss_along
from tin_kettle.core.survey.survey import Survey

SIDE_LOW_SHARE = 0.05
"""One part in twenty: below that a wide room or a detuned bass has its lows still in the middle."""
LOPSIDED_DB = 0.5
"""Half a dB is about what one hears of a shifted middle."""
MONO_LU = 3.0
"""Sides that have nothing in common lose 3; beyond that something cancels."""


COSTS_LU = 0.5
"""About what is heard of a song that is turned down."""


def low_end_wide(now: Survey) -> Iterator[Finding]:
    """Lows in the side, where there is most of them for three seconds."""
    share = now.measures["side_energy_below_120hz"]
    if share < SIDE_LOW_SHARE:
        return
    mid = 0.5 * loudness.mono_energy(now.low)
    side = 0.5 * loudness.stereo_energy(now.low) - mid
    yield Finding(
        "low-end-wide",
        f"wide low end, {share:.0%} in side",
        f"{share:.1%} of the energy below 120 Hz is in the side channel. It cancels in mono.",
        share,
        "share",
        SIDE_LOW_SHARE,
        at_s=_worst_s(side - 0.02 * mid),
        fix="low cut on the side at 120 Hz",
        stage={
            "id": "side-low-cut",
            "kind": "equalizer",
            "params": {
                "bands": [
                    {"id": "side-cut", "shape": "high_pass", "hz": 120.0, "slope": 12, "channels": "side"},
                ]
            },
        },
    )


def lopsided(now: Survey) -> Iterator[Finding]:
    """One side louder than the other over the whole song, K-weighted."""
    left, right = now.slots[:, :2].mean(axis=0)
    if min(left, right) < 1e-9:
        return
    more_db = float(10.0 * np.log10(left / right))
    if abs(more_db) < LOPSIDED_DB:
        return
    louder = "left" if more_db > 0 else "right"
    # balance turns the louder side down
    balance = (1.0 - 10.0 ** (-abs(more_db) / 20.0)) * (1.0 if more_db > 0 else -1.0)
    yield Finding(
        "lopsided",
        f"{louder} {db(abs(more_db), signed=False)} louder",
        f"Over the song the {louder} channel is {db(abs(more_db), signed=False)} louder (K-weighted).",
        round(abs(more_db), 2),
        "dB",
        LOPSIDED_DB,
        fix=f"turn the {louder} channel down by {db(abs(more_db), signed=False)}",
        stage={"id": "even", "kind": "trim", "params": {"balance": round(balance, 4)}},
    )


def mono_loss(now: Survey) -> Iterator[Finding]:
    """What cancels in mono, where it costs most."""
    lost = now.measures["mono_loss_lu"]
    if lost is None or lost <= MONO_LU:
        return
    stereo, mono = loudness.stereo_energy(now.slots), loudness.mono_energy(now.slots)
    yield Finding(
        "mono-loss",
        f"mono loss {bare(lost)} LU",
        f"In mono the song is {bare(lost)} LU quieter. Uncorrelated channels lose 3 LU; more means cancellation.",
        round(lost, 2),
        "LU",
        MONO_LU,
        at_s=_worst_s(np.maximum(stereo - mono, 0.0)),
    )


def costs_mono(now: Survey, received: Survey) -> Iterator[Finding]:
    """What the chain itself costs in mono, where that grew most."""
    after, before = now.measures["mono_loss_lu"], received.measures["mono_loss_lu"]
    if after is None or before is None or after - before < COSTS_LU:
        return
    grown = mono_loss_along(now) - mono_loss_along(received)
    at = int(np.argmax(grown))
    yield Finding(
        "costs-mono",
        f"the chain costs {bare(round(after - before, 1))} LU in mono",
        f"As received the song lost {bare(round(before, 1))} LU in mono, now {bare(round(after, 1))} LU. "
        f"What was widened is missing on one speaker. The loss is largest at the marker, "
        f"{bare(round(float(grown[at]), 1))} LU.",
        round(after - before, 2),
        "LU",
        COSTS_LU,
        at_s=round(max(0.0, (at + 1 - SHORT_TERM_SLOTS / 2) / SLOTS_PER_S), 2),
    )


def _worst_s(energy: np.ndarray, window_s: float = 3.0) -> float:
    """Where the mean over a few seconds is highest: the middle of that stretch."""
    width = min(len(energy), round(window_s * SLOTS_PER_S))
    means = np.convolve(energy, np.ones(width) / width, mode="valid")
    return round(float((np.argmax(means) + width / 2) / SLOTS_PER_S), 2)
