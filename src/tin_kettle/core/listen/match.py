"""Equal loudness: the louder of two goes down, nothing is boosted."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class Match:
    """Gains in dB, never above 0, that make two streams equally loud.

    ``estimate`` says that they come from what was heard so far and not from the whole passage.
    """

    other_db: float
    now_db: float
    estimate: bool

    def document(self) -> dict[str, float | bool]:
        """Plain values for the wire."""
        return {
            "other_db": round(self.other_db, 2),
            "now_db": round(self.now_db, 2),
            "estimate": self.estimate,
        }


def match_loudness(other_lufs: float | None, now_lufs: float | None, estimate: bool) -> Match:
    """Gains from the K-weighted loudness of the same passage in both; none where one of them is silent."""
    if other_lufs is None or now_lufs is None:
        return Match(0.0, 0.0, True)
    difference = now_lufs - other_lufs
    return Match(min(0.0, difference), min(0.0, -difference), estimate)
