"""What an attack found."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class Row:
    """One line of ``docs/reliability.md``; ``harm`` is empty where nothing got through."""

    attack: str
    tried: str
    found: str
    harm: tuple[str, ...] = ()
