"""Measure what leaves the player until it is as wanted: after a key the old sound goes on for a while."""

from __future__ import annotations

import time
from collections.abc import Callable, Mapping
from typing import Any

import numpy as np
from numpy.typing import NDArray

from tests.browser.driving import PATIENCE_MS, Bench
from tests.conftest import RATE_HZ

STEADY_DB = 0.02


class Below:
    """Equal to every level under a limit, in dB."""

    def __init__(self, limit_db: float) -> None:
        self._limit_db = limit_db

    def __eq__(self, level_db: object) -> bool:
        return isinstance(level_db, float) and level_db < self._limit_db

    __hash__ = None  # type: ignore[assignment]

    def __repr__(self) -> str:
        return f"below {self._limit_db:g}"


def amplitude_db(x: NDArray[np.float64], hz: float) -> float:
    """Level of a tone in one row of what was heard, in dB; about half a second holds two tones 20 Hz apart."""
    t = np.arange(x.size) / RATE_HZ
    window = np.hanning(x.size)
    amplitude = 2 * np.abs(np.sum(x * window * np.exp(-2j * np.pi * hz * t))) / window.sum()
    return float(20 * np.log10(amplitude + 1e-10))


def rms_db(x: NDArray[np.float64]) -> float:
    """Level of all that was heard, both sides together, in dB."""
    return float(10.0 * np.log10(np.mean(x**2) + 1e-20))


def peak(x: NDArray[np.float64]) -> float:
    """The largest sample of the left side."""
    return float(np.abs(x[0]).max())


def next_sound(bench: Bench, frames: int = 16000) -> NDArray[np.float64]:
    """Record, from the start again where a slow machine has come to the end of the song meanwhile."""
    if not bench.state("playing"):
        bench.page.evaluate("window.tinKettle.act.setPlaying(true)")
    return bench.record(frames)


def expect_sound(
    bench: Bench, measure: Callable[[NDArray[np.float64]], Any], wanted: object, frames: int = 16000
) -> NDArray[np.float64]:
    """Record until the measure of it equals what is wanted; that recording, (2, frames and a little more)."""
    end = time.monotonic() + PATIENCE_MS / 1000
    while measure(x := next_sound(bench, frames)) != wanted and time.monotonic() < end:
        pass
    assert measure(x) == wanted
    return x


def expect_tones(bench: Bench, wanted: Mapping[float, object], row: int = 0) -> NDArray[np.float64]:
    """Record until the tones at these frequencies have these levels in dB, all at once."""
    return expect_sound(bench, lambda x: {hz: amplitude_db(x[row], hz) for hz in wanted}, dict(wanted))


def expect_level(bench: Bench, wanted: object) -> None:
    """Record until all that is heard has this level in dB."""
    expect_sound(bench, rms_db, wanted)


def steady(bench: Bench, measure: Callable[[NDArray[np.float64]], float]) -> float:
    """A level in dB, as soon as two recordings one after the other agree on it."""
    end = time.monotonic() + PATIENCE_MS / 1000
    before, level = np.inf, measure(next_sound(bench))
    while abs(level - before) > STEADY_DB and time.monotonic() < end:
        before, level = level, measure(next_sound(bench))
    assert abs(level - before) <= STEADY_DB, "what is heard never comes to rest"
    return level


def steady_tone(bench: Bench, hz: float) -> float:
    """The level in dB at which a tone comes to rest on the left."""
    return steady(bench, lambda x: amplitude_db(x[0], hz))


def steady_level(bench: Bench) -> float:
    """The level in dB at which all that is heard comes to rest."""
    return steady(bench, rms_db)
