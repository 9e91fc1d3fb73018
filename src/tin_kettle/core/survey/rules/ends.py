"""Energy at both ends of the spectrum, which few places play and which costs headroom."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from tin_kettle.core.stages.words import db
from tin_kettle.core.survey.finding import Finding
from tin_kettle.core.survey.survey import TRIAL_HIGH_CUT_HZ, TRIAL_LOW_CUT_HZ, Survey

LOW_SHARE = 0.005
"""Half a per cent below 30 Hz: music with a deep bass has a tenth of that, rumble and handling noise have more."""
HIGH_SHARE = 0.01
"""One per cent above 16 kHz: cymbals leave a tenth of that, hiss and bad converters more."""
CUT_WINS_DB = 0.2
"""Less than this of peak level is not worth a filter."""


def ends_cost(now: Survey) -> Iterator[Finding]:
    """What lies below 30 Hz or above 16 kHz, and what a cut would win or lose, by doing it."""
    low, high = f"{TRIAL_LOW_CUT_HZ:g} Hz", f"{TRIAL_HIGH_CUT_HZ / 1000:g} kHz"
    yield from _end(
        now.measures["energy_below_30hz"],
        -now.measures["low_cut_peak_db"],
        LOW_SHARE,
        ("low-end-costs", "below 30 Hz", f"low cut at {low}"),
        {"high_pass_on": True, "high_pass_hz": TRIAL_LOW_CUT_HZ, "high_pass_slope": 24},
    )
    yield from _end(
        now.measures["energy_above_16khz"],
        -now.measures["high_cut_peak_db"],
        HIGH_SHARE,
        ("high-end-costs", "above 16 kHz", f"high cut at {high}"),
        {"low_pass_on": True, "low_pass_hz": TRIAL_HIGH_CUT_HZ, "low_pass_slope": 24},
    )


def _end(
    share: float, wins_db: float, limit: float, words: tuple[str, str, str], cut: dict[str, Any]
) -> Iterator[Finding]:
    if share < limit and (wins_db < CUT_WINS_DB or share < limit / 10):
        return
    name, where, fix = words
    changes = (
        f"wins {db(wins_db, signed=False)} of peak level" if wins_db > 0 else f"costs {db(-wins_db, signed=False)}"
    )
    yield Finding(
        name,
        f"{share:.1%} {where}",
        f"{share:.1%} of the energy lies {where}, where few places play it; a {fix} {changes}.",
        share,
        "share",
        limit,
        fix=fix,
        stage={"id": fix.split(" at ")[0].replace(" ", "-"), "kind": "filter", "params": cut},
    )
