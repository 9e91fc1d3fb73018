"""Findings: what a song's survey says about it. Each has a measure, the reason in a sentence and often a fix to try.

Rules look at the song as it is now, so that a finding goes when it is mended; only what no stage can mend is looked for
in what was received.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import asdict, dataclass, field
from typing import Any

import numpy as np

from tin_kettle.core.engine.slot import METER_HOP
from tin_kettle.core.measure import loudness
from tin_kettle.core.measure.loudness import SLOTS_PER_S
from tin_kettle.core.measure.tonal import BANDS_HZ, smoothed_db
from tin_kettle.core.recipe.model import Recipe
from tin_kettle.core.recipe.reading import dump_recipe, parse_recipe
from tin_kettle.core.stages.words import bare, db, hz
from tin_kettle.core.survey.survey import PEAK_HOP, Survey

LOW_SHARE, CUT_WINS_DB = 0.005, 0.2
SIDE_LOW_SHARE = 0.05
RING_DB, RING_TIME = 5.0, 0.3
RING_HZ = (1500.0, 12000.0)
SHARP_OVER_DB, SHARPEST_S = 9.0, 0.03
LOPSIDED_DB = 0.5
OFFSET = 0.0005
NEEDLE_DB = 3.0
MONO_LU = 3.0
HARD_DB = {"compressor": 4.0, "limiter": 3.0}
HARD_TIME = 0.1


@dataclass(frozen=True)
class Finding:
    """A spot or a fact.

    Args:
        id: the same for the same matter in the next survey.
        title: a few words; ``says``: the reason, with the figures.
        value, unit, threshold: the measure and what it was held against.
        at_s: where, in seconds, or None where it concerns the whole song.
        fix: what a fix to try is called, None where there is none.
        stage: the fix: a stage that is put first into the master chain, or new values of one that is there.
    """

    id: str
    title: str
    says: str
    value: float
    unit: str
    threshold: float
    at_s: float | None = None
    fix: str | None = None
    stage: dict[str, Any] | None = field(default=None, repr=False)

    def document(self) -> dict[str, Any]:
        """Plain values; the fix only by its name."""
        return {key: value for key, value in asdict(self).items() if key != "stage"}


def find(now: Survey, received: Survey, recipe: Recipe) -> list[Finding]:
    """All findings, those with a place in the order of the song.

    Args:
        now: survey of the song through ``recipe``.
        received: survey of the sum of its sources.
    """
    rules: tuple[Callable[[Survey], Iterator[Finding]], ...] = (
        _low_end_costs,
        _low_end_wide,
        _rings,
        _sharp,
        _lopsided,
        _offset,
        _needles,
        _mono_loss,
    )
    found = [finding for rule in rules for finding in rule(now)]
    found += [*_clipped(received), *_works_hard(now, recipe)]
    return sorted(found, key=lambda finding: (finding.at_s is None, finding.at_s or 0.0))


def with_fix(recipe: Recipe, finding: Finding) -> Recipe:
    """The recipe with a finding's fix tried.

    Raises:
        ValueError: the finding has none.
    """
    if finding.stage is None:
        raise ValueError(f"{finding.id} has no fix")
    document = dump_recipe(recipe)
    for chain in (document["master"], *(bus["chain"] for bus in (*document["buses"], *document["groups"]))):
        for stage in chain:
            if stage["id"] == finding.stage["id"]:
                stage["params"] |= finding.stage["params"]
                return parse_recipe(document)
    taken = {stage.id for _, chain in recipe.chains() for stage in chain}
    name = finding.stage["id"]
    while name in taken:
        name += "-again"
    document["master"].insert(0, {**finding.stage, "id": name})
    return parse_recipe(document)


def _low_end_costs(now: Survey) -> Iterator[Finding]:
    share, wins_db = now.measures["energy_below_30hz"], -now.measures["cut_peak_db"]
    if share < LOW_SHARE and (wins_db < CUT_WINS_DB or share < LOW_SHARE / 10):
        return
    changes = (
        f"wins {db(wins_db, signed=False)} of peak level" if wins_db > 0 else f"costs {db(-wins_db, signed=False)}"
    )
    yield Finding(
        "low-end-costs",
        f"{share:.1%} below 30 Hz",
        f"{share:.1%} of the energy lies below 30 Hz, where few places play it; a low cut at 25 Hz {changes}.",
        share,
        "share",
        LOW_SHARE,
        fix="low cut at 25 Hz",
        stage={
            "id": "low-cut",
            "kind": "filter",
            "params": {"high_pass_on": True, "high_pass_hz": 25.0, "high_pass_slope": 24},
        },
    )


def _low_end_wide(now: Survey) -> Iterator[Finding]:
    share = now.measures["side_energy_below_120hz"]
    if share < SIDE_LOW_SHARE:
        return
    mid = np.abs(now.low[:, 0] + now.low[:, 1]) * 0.25 + 0.5 * now.low[:, 2]
    side = np.abs(now.low[:, 0] + now.low[:, 1]) * 0.25 - 0.5 * now.low[:, 2]
    yield Finding(
        "low-end-wide",
        f"low end wide, {share:.0%} in the side",
        f"{share:.1%} of what lies below 120 Hz is in the side: it cancels in mono and moves a record's bass about.",
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


def _worst_s(energy: np.ndarray, window_s: float = 3.0) -> float:
    """Where the mean over a few seconds is highest: the middle of that stretch."""
    width = min(len(energy), round(window_s * SLOTS_PER_S))
    means = np.convolve(energy, np.ones(width) / width, mode="valid")
    return round(float((np.argmax(means) + width / 2) / SLOTS_PER_S), 2)


def _rings(now: Survey) -> Iterator[Finding]:
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


def _sharp(now: Survey) -> Iterator[Finding]:
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


def _lopsided(now: Survey) -> Iterator[Finding]:
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
        f"{louder} louder by {db(abs(more_db), signed=False)}",
        f"Over the song the {louder} side is {db(abs(more_db), signed=False)} louder, K-weighted: the middle leans.",
        round(abs(more_db), 2),
        "dB",
        LOPSIDED_DB,
        fix=f"turn the {louder} side down by {db(abs(more_db), signed=False)}",
        stage={"id": "even", "kind": "trim", "params": {"balance": round(balance, 4)}},
    )


def _offset(now: Survey) -> Iterator[Finding]:
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


def _needles(now: Survey) -> Iterator[Finding]:
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


def _mono_loss(now: Survey) -> Iterator[Finding]:
    lost = now.measures["mono_loss_lu"]
    if lost is None or lost <= MONO_LU:
        return
    stereo, mono = loudness.stereo_energy(now.slots), loudness.mono_energy(now.slots)
    yield Finding(
        "mono-loss",
        f"mono loses {bare(lost)} LU",
        f"In mono the song is {bare(lost)} LU quieter; sides that have nothing in common lose 3: some of it cancels.",
        round(lost, 2),
        "LU",
        MONO_LU,
        at_s=_worst_s(np.maximum(stereo - mono, 0.0)),
    )


def _clipped(received: Survey) -> Iterator[Finding]:
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


def _works_hard(now: Survey, recipe: Recipe) -> Iterator[Finding]:
    for _, chain in recipe.chains():
        for stage in chain:
            limit_db = HARD_DB.get(stage.kind)
            if limit_db is None or not stage.on or stage.id not in now.stages:
                continue
            effort = now.stages[stage.id][2]
            share = float(np.mean(effort < -limit_db))
            if share < HARD_TIME:
                continue
            at = int(np.argmin(effort))
            params = stage.params.model_dump()
            less = {"gain_db": max(0.0, params["gain_db"] - 2.0)} if stage.kind == "limiter" else None
            less = less or {"threshold_db": min(0.0, params["threshold_db"] + 3.0)}
            title = stage.declared.title
            yield Finding(
                f"hard-{stage.id}",
                f"{title.lower()} takes {db(-float(effort[at]), signed=False)}",
                f"{title} takes more than {db(limit_db, signed=False)} for {share:.0%} of the song, "
                f"{db(-float(effort[at]), signed=False)} at most: the honest answer may lie in the mix.",
                round(share, 4),
                "share of the time",
                HARD_TIME,
                at_s=round(at * METER_HOP / now.rate_hz, 2),
                fix="gain down by 2 dB" if stage.kind == "limiter" else "threshold up by 3 dB",
                stage={"id": stage.id, "params": less},
            )
