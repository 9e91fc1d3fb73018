"""Equal loudness: what is louder goes down, nothing is boosted. Loudness is K-weighted, of the same passage."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass


@dataclass(frozen=True)
class LoudnessMatch:
    """Gains in dB, never above 0, that make *now* and the *other* equally loud."""

    other_db: float
    now_db: float

    def document(self) -> dict[str, float]:
        """Plain values for the wire."""
        return {"other_db": round(self.other_db, 2), "now_db": round(self.now_db, 2)}


def match_all(lufs: Mapping[str, float | None]) -> dict[str, float]:
    """Gains in dB that bring everything down to the quietest, so that any two of them can be compared.

    Args:
        lufs: loudness by name; what is silent is left as it is.
    """
    heard = {name: level for name, level in lufs.items() if level is not None}
    quietest = min(heard.values(), default=0.0)
    return {name: round(quietest - heard[name], 2) if name in heard else 0.0 for name in lufs}


def estimate_match(
    other_lufs: float | None, now_lufs: float | None, other_db: float | None = None, now_db: float | None = None
) -> LoudnessMatch | None:
    """Gains from what was heard so far; None where one of the two is silent.

    Args:
        other_db, now_db: gains that are known already. The other's stays, else now's, so that nothing else that is
            compared needs another gain; both go down where the one that is not known would have to go up.
    """
    if other_lufs is None or now_lufs is None:
        return None
    difference = now_lufs - other_lufs
    if other_db is None:
        other_db = (now_db or 0.0) + difference
    now_db = other_db - difference
    over = max(0.0, other_db, now_db)
    return LoudnessMatch(other_db - over, now_db - over)
