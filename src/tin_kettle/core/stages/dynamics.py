"""What all dynamics have in common, declared once: threshold, ratio, knee, times, how far, the link of the sides."""

from __future__ import annotations

from typing import Any

from tin_kettle.core.stages.declarations import number


def threshold(says: str, default: float = -18, low: float = -60, follows: bool = False) -> Any:
    """A level in dB from which something is done."""
    ticks = (low, *(tick for tick in (-60, -48, -36, -24, -12, 0) if tick > low))
    return number(default, low, 0, label="Threshold", unit="dB", ticks=ticks, says=says, follows=follows)


def ratio(says: str, default: float, follows: bool = False) -> Any:
    """dB in for one dB out."""
    ticks = (1, 1.5, 2, 4, 10, 30, 100)
    return number(default, 1, 100, label="Ratio", unit=": 1", scale="log", ticks=ticks, says=says, follows=follows)


def knee(says: str, follows: bool = False) -> Any:
    """Total width in dB of the bend around the threshold."""
    return number(6, 0, 24, label="Knee", unit="dB", ticks=(0, 6, 12, 18, 24), says=says, follows=follows)


def attack(says: str, default: float = 30, follows: bool = False) -> Any:
    """Time constant in ms while the detector rises."""
    ticks = (0.1, 1, 3, 10, 30, 100, 300)
    return number(default, 0.05, 300, label="Attack", unit="ms", scale="log", ticks=ticks, says=says, follows=follows)


def release(says: str, follows: bool = False) -> Any:
    """Time constant in ms while the detector falls."""
    ticks = (5, 10, 50, 100, 400, 1000, 3000)
    return number(100, 5, 3000, label="Release", unit="ms", scale="log", ticks=ticks, says=says, follows=follows)


def at_most(says: str, follows: bool = False) -> Any:
    """The most dB that are ever taken or given."""
    return number(60, 0, 60, label="Max reduction", unit="dB", ticks=(0, 10, 20, 40, 60), says=says, follows=follows)


def link(says: str, follows: bool = False) -> Any:
    """How much the louder side moves the other."""
    return number(1, 0, 1, label="Stereo link", ticks=(0, 0.25, 0.5, 0.75, 1), says=says, follows=follows)
