"""What became more and what less, by frequency and section, in a sentence."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from tin_kettle.core.measure.band_map import CENTRES_HZ
from tin_kettle.core.recipe.model import Section
from tin_kettle.core.stages.number_text import hz

LEAST_DB = 0.5
"""Smaller changes of a third octave nobody hears."""
APART_DB = 1.0
"""Sections differ where one of them lies so far from the song."""


@dataclass(frozen=True)
class _Range:
    first: int
    last: int

    @property
    def words(self) -> str:
        half = 10.0**0.05
        low, high = (
            f"{float(f'{edge:.2g}'):g}" for edge in (CENTRES_HZ[self.first] / half, CENTRES_HZ[self.last] * half)
        )
        if self.first == 0 and self.last == CENTRES_HZ.size - 1:
            return "everything"
        if self.first == 0:
            return f"below {hz(float(high))}"
        if self.last == CENTRES_HZ.size - 1:
            return f"above {hz(float(low))}"
        return f"{hz(float(low))} to {hz(float(high))}"


def change_words(change_db: NDArray[np.float64], hop_s: float, sections: Sequence[Section]) -> str:
    """``below 63 Hz 3.1 dB less; in Chorus 2 kHz to 4 kHz 1.8 dB less; otherwise within 0.5 dB``.

    Args:
        change_db: (hops, 31), NaN where there is nothing.
    """
    known = ~np.isnan(change_db)
    if not known.any():
        return "nothing sounds"
    whole = _mean(change_db)
    parts = []
    told = np.zeros(whole.size, dtype=bool)
    for found in _ranges(whole):
        span = slice(found.first, found.last + 1)
        parts.append(f"{found.words} {_amount(float(np.nanmean(whole[span])))}")
        told[span] = True
    for name, rows in _by_name(change_db, hop_s, sections).items():
        own = _mean(rows)
        apart = np.where(np.abs(own - whole) >= APART_DB, own, 0.0)
        for found in _ranges(apart):
            amount = float(np.nanmean(own[found.first : found.last + 1]))
            parts.append(f"in {name} {found.words} {_amount(amount)}")
    if not parts:
        return f"within {LEAST_DB:g} dB everywhere"
    return "; ".join([*parts, *([] if told.all() else [f"otherwise within {LEAST_DB:g} dB"])])


def _amount(change_db: float) -> str:
    return f"{abs(change_db):.1f} dB {'more' if change_db > 0 else 'less'}"


def _mean(rows: NDArray[np.float64]) -> NDArray[np.float64]:
    """(31,) median over time, 0 where a band never sounds."""
    known = ~np.isnan(rows)
    return np.array(
        [np.median(rows[known[:, band], band]) if known[:, band].any() else 0.0 for band in range(rows.shape[1])]
    )


def _ranges(change_db: NDArray[np.float64]) -> list[_Range]:
    """Neighbouring bands that change the same way by what is heard."""
    signs = np.where(change_db >= LEAST_DB, 1, np.where(change_db <= -LEAST_DB, -1, 0))
    found: list[_Range] = []
    for band, sign in enumerate(signs):
        if not sign:
            continue
        if found and found[-1].last == band - 1 and signs[band - 1] == sign:
            found[-1] = _Range(found[-1].first, band)
        else:
            found.append(_Range(band, band))
    return found


def _by_name(
    change_db: NDArray[np.float64], hop_s: float, sections: Sequence[Section]
) -> dict[str, NDArray[np.float64]]:
    """Hops of all sections of one name together."""
    hops: dict[str, list[NDArray[np.float64]]] = {}
    for section in sections:
        first, last = round(section.start_s / hop_s), round(section.end_s / hop_s)
        rows = change_db[first : max(last, first + 1)]
        if len(rows):
            hops.setdefault(section.name or section.id, []).append(rows)
    return {name: np.concatenate(rows) for name, rows in hops.items()}
