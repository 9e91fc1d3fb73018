"""One finding: a spot or a fact that the survey reports."""

from __future__ import annotations

from dataclasses import asdict, dataclass, field
from typing import Any


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
