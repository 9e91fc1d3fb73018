"""What costs headroom without being heard: offsets, needles, and what was clipped before."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from tin_kettle.core.stages.words import db
from tin_kettle.core.survey.finding import Finding
from tin_kettle.core.survey.survey import PEAK_HOP, Survey

OFFSET = 0.0005
"""−66 dB of full scale: beyond what converters leave, and enough to click at an edit."""
NEEDLE_DB = 3.0
"""A single peak so far above the rest takes half the power from the whole song."""


def offset(now: Survey) -> Iterator[Finding]:
    """A constant offset of either side."""
    worst = max(now.measures["dc_offset"], key=abs)
    if abs(worst) < OFFSET:
        return
    yield Finding(
        "offset",
        f"constant offset of {abs(worst):.2%}",
        f"A constant offset of {abs(worst):.2%} of full scale costs headroom on one side and is not heard.",
        abs(worst),
        "share of full scale",
        OFFSET,
        fix="remove the offset",
        stage={"id": "no-offset", "kind": "trim", "params": {"remove_dc": True}},
    )


def needles(now: Survey) -> Iterator[Finding]:
    """One hit far above all that is played around it."""
    levels = 20.0 * np.log10(np.maximum(now.peaks, 1e-6))
    width = min(len(levels), 2 * round(6.0 * now.rate_hz / PEAK_HOP) + 1)
    if width < 9:
        return
    padded = np.pad(levels, (width // 2, width - width // 2 - 1), mode="reflect")
    windows = np.sort(np.lib.stride_tricks.sliding_window_view(padded, width), axis=1)
    # the fourth highest about: a reading before and after may share the needle
    above = levels - windows[:, -4]
    at = int(np.argmax(above))
    if above[at] < NEEDLE_DB:
        return
    yield Finding(
        "needle",
        f"needle peak, {db(float(above[at]), signed=False)} above the rest",
        f"One peak of {db(float(levels[at]))}TP stands {db(float(above[at]), signed=False)} above all within "
        "six seconds: it decides how loud the song can be.",
        round(float(above[at]), 2),
        "dB",
        NEEDLE_DB,
        at_s=round(at * PEAK_HOP / now.rate_hz, 2),
    )


def clipped(received: Survey) -> Iterator[Finding]:
    """Runs at full scale in what came in: no stage mends them."""
    count = received.measures["clipped_samples"]
    if not count:
        return
    loudest = float(np.argmax(received.peaks)) * PEAK_HOP / received.rate_hz
    yield Finding(
        "clipped",
        f"clipped before, {count} samples",
        f"{count} samples stand at full scale in runs of three and more: it was clipped before it came here. "
        "A bounce with more headroom is the mend.",
        float(count),
        "samples",
        0.0,
        at_s=round(loudest, 2),
    )
