"""Bars and sections: what every song of the demo record is written on."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any


@dataclass(frozen=True)
class Score:
    """Sections of whole bars, as (id, name, bars); an id's digits at its end number those of one kind."""

    sections: Sequence[tuple[str, str, int]]
    beat_s: float
    lead_s: float
    tail_s: float
    beats: int = 4

    @property
    def bar_s(self) -> float:
        return self.beats * self.beat_s

    @property
    def seconds(self) -> float:
        """Length of the song."""
        return self.lead_s + sum(bars for _, _, bars in self.sections) * self.bar_s + self.tail_s

    def bars(self) -> list[tuple[str, str, int, float]]:
        """Every bar: section id, its kind, number in the section, start in seconds."""
        listed, at = [], self.lead_s
        for section, _, bars in self.sections:
            for bar in range(bars):
                listed.append((section, section.rstrip("0123456789"), bar, at))
                at += self.bar_s
        return listed

    def named(self) -> list[dict[str, Any]]:
        """The sections of a recipe, from the song's first sample to its last."""
        named, at = [], 0.0
        for index, (section, name, bars) in enumerate(self.sections):
            last = index == len(self.sections) - 1
            end = at + bars * self.bar_s + (self.lead_s if index == 0 else 0.0) + (self.tail_s if last else 0.0)
            named.append({"id": section, "name": name, "start_s": round(at, 3), "end_s": round(end, 3)})
            at = end
        return named
