"""What costs headroom without being heard: offsets, needles, and what was clipped before."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from tin_kettle.core.stages.number_text import db
from tin_kettle.core.survey.finding import Finding
from tin_kettle.core.survey.survey import PEAK_HOP, Survey

OFFSET = 0.0005
"""−66 dB of full scale: beyond what converters leave, and enough to click at an edit."""
NEEDLE_DB, ROOM_DB = 3.0, 0.3
"""A single peak so far above the rest takes half the power from the whole song; cut off a little above the others."""

ALONE_DB, BODY_S, TOP_DB, FEW_HITS = 8.0, 0.08, 1.5, 4
"""A hit's body follows within some hundredths of a second, a few dB below its edge; fewer hits are needles."""


def offset(now: Survey) -> Iterator[Finding]:
    """A constant offset of either side."""
    worst = max(now.measures["dc_offset"], key=abs)
    if abs(worst) < OFFSET:
        return
    yield Finding(
        "offset",
        f"DC offset of {abs(worst):.2%}",
        f"A DC offset of {abs(worst):.2%} of full scale costs headroom and is inaudible.",
        abs(worst),
        "share of full scale",
        OFFSET,
        fix="remove the offset",
        stage={"id": "no-offset", "kind": "trim", "params": {"remove_dc": True}},
    )


def _standing_out(survey: Survey) -> tuple[int, float, float] | None:
    """Where the peak stands that rises farthest above all around it, its level and that of the others in dB."""
    levels = 20.0 * np.log10(np.maximum(survey.peaks, 1e-6))
    width = min(len(levels), 2 * round(6.0 * survey.rate_hz / PEAK_HOP) + 1)
    if width < 9:
        return None
    padded = np.pad(levels, (width // 2, width - width // 2 - 1), mode="reflect")
    windows = np.sort(np.lib.stride_tricks.sliding_window_view(padded, width), axis=1)
    # the fourth highest about: a reading before and after may share the needle
    rest = windows[:, -4]
    at = int(np.argmax(levels - rest))
    return at, float(levels[at]), float(rest[at])


def needles(now: Survey, received: Survey) -> Iterator[Finding]:
    """One hit far above all that is played around it; where it came so, a clipper before all else cuts it off."""
    found = _standing_out(now)
    if found is None or found[1] - found[2] < NEEDLE_DB:
        return
    at, level, rest = found
    came = _standing_out(received)
    fix, stage = None, None
    if came is not None and came[1] - came[2] >= NEEDLE_DB and abs(came[0] - at) <= 1:
        ceiling_db = min(max(came[2] + ROOM_DB, -24.0), 0.0)
        fix = f"clip it by {db(came[1] - ceiling_db, signed=False)}"
        stage = {"id": "cut-needle", "kind": "clipper", "params": {"ceiling_db": round(ceiling_db, 1)}}
    yield Finding(
        "needle",
        f"single peak, {db(level - rest, signed=False)} above the rest",
        f"One peak of {db(level)}TP is {db(level - rest, signed=False)} above everything within "
        "six seconds. It limits how loud the song can be.",
        round(level - rest, 2),
        "dB",
        NEEDLE_DB,
        at_s=round(at * PEAK_HOP / now.rate_hz, 2),
        fix=fix,
        stage=stage,
    )


def hits_alone(now: Survey) -> Iterator[Finding]:
    """Hits whose first milliseconds stand far above all that surrounds them, and decide how loud the song can be."""
    levels = 20.0 * np.log10(np.maximum(now.peaks, 1e-6))
    beyond = max(round(BODY_S * now.rate_hz / PEAK_HOP), 2)
    if levels.size < 2 * beyond + 1:
        return
    # what is beside a reading shares its hit
    around = np.lib.stride_tricks.sliding_window_view(np.pad(levels, beyond, constant_values=-120.0), 2 * beyond + 1)
    highest = np.flatnonzero((levels == around.max(axis=1)) & (levels > levels.max() - TOP_DB))
    sides = np.concatenate([around[:, : beyond - 1], around[:, beyond + 2 :]], axis=1).max(axis=1)
    alone = (levels - sides)[highest]
    if highest.size < FEW_HITS or np.median(alone) < ALONE_DB:
        return
    at, by_db = int(highest[np.argmax(alone)]), float(np.median(alone))
    less_db = round(min(by_db - ALONE_DB / 2.0, 6.0), 1)
    yield Finding(
        "hits-alone",
        f"sharp transients, {db(by_db, signed=False)}",
        f"The first milliseconds of the {highest.size} loudest hits are {db(by_db, signed=False)} above everything "
        "around them. They cost headroom and carry little of the sound.",
        round(by_db, 2),
        "dB",
        ALONE_DB,
        at_s=round(at * PEAK_HOP / now.rate_hz, 2),
        fix=f"reduce attacks by {db(less_db, signed=False)}",
        stage={"id": "round-hits", "kind": "transients", "params": {"attack_db": -less_db}},
    )


def clipped(received: Survey) -> Iterator[Finding]:
    """Runs at full scale in what came in: no stage mends them."""
    count = received.measures["clipped_samples"]
    if not count:
        return
    loudest = float(np.argmax(received.peaks)) * PEAK_HOP / received.rate_hz
    yield Finding(
        "clipped",
        f"clipped in the source, {count} samples",
        f"{count} samples are at full scale in runs of three or more: the source was already clipped. "
        "Ask for a bounce with more headroom.",
        float(count),
        "samples",
        0.0,
        at_s=round(loudest, 2),
    )
