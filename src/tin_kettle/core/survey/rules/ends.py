"""Energy at both ends of the spectrum, which few places play and which costs headroom."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any

from tin_kettle.core.stages.number_text import db
from tin_kettle.core.survey.finding import Finding
from tin_kettle.core.survey.survey import TRIAL_HIGH_CUT_HZ, TRIAL_LOW_CUT_HZ, Survey

LOW_SHARE = 0.005
"""Half a per cent below 30 Hz: music with a deep bass has a tenth of that, rumble and handling noise have more."""
HIGH_SHARE = 0.01
"""One per cent above 16 kHz: cymbals leave a tenth of that, hiss and bad converters more."""
CUT_WINS_DB = 0.2
"""Less than this of peak level is not worth a filter."""


@dataclass(frozen=True)
class _End:
    """One end: its measures' names, how much is too much, and the cut that was tried."""

    id: str
    where: str
    share: str
    peak_change: str
    limit: float
    cut: str
    at: str
    params: dict[str, Any]


ENDS = (
    _End(
        "low-end-costs",
        "below 30 Hz",
        "energy_below_30hz",
        "low_cut_peak_db",
        LOW_SHARE,
        "low cut",
        f"{TRIAL_LOW_CUT_HZ:g} Hz",
        {"high_pass_on": True, "high_pass_hz": TRIAL_LOW_CUT_HZ, "high_pass_slope": 24},
    ),
    _End(
        "high-end-costs",
        "above 16 kHz",
        "energy_above_16khz",
        "high_cut_peak_db",
        HIGH_SHARE,
        "high cut",
        f"{TRIAL_HIGH_CUT_HZ / 1000:g} kHz",
        {"low_pass_on": True, "low_pass_hz": TRIAL_HIGH_CUT_HZ, "low_pass_slope": 24},
    ),
)


def ends_cost(now: Survey) -> Iterator[Finding]:
    """What lies below 30 Hz or above 16 kHz, and what a cut would win or lose, by doing it."""
    for end in ENDS:
        share, wins_db = now.measures[end.share], -now.measures[end.peak_change]
        if share < end.limit and (wins_db < CUT_WINS_DB or share < end.limit / 10):
            continue
        fix = f"{end.cut} at {end.at}"
        changes = f"gains {db(wins_db, signed=False)} of headroom" if wins_db > 0 else f"costs {db(-wins_db, False)}"
        yield Finding(
            end.id,
            f"{share:.1%} {end.where}",
            f"{share:.1%} of the energy lies {end.where}, which few speakers reproduce. A {fix} {changes}.",
            share,
            "share",
            end.limit,
            fix=fix,
            stage={"id": end.cut.replace(" ", "-"), "kind": "filter", "params": end.params},
        )
