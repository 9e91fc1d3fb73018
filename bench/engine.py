"""How fast stages, chains, the survey and a print are, and how much memory a long print takes."""

from __future__ import annotations

import subprocess
import sys
from collections.abc import Callable, Iterator
from typing import Any

import numpy as np

from bench.base import best_s
from tests.conftest import music, recipe_of
from tin_kettle.core.engine.graph import Graph
from tin_kettle.core.engine.offline import render
from tin_kettle.core.engine.source import ArraySource
from tin_kettle.core.survey.survey import survey_song

RATE_HZ = 48000
SONG_S = 180.0
BLOCK, LIVE_BLOCK = 8192, 1024

EIGHT = [
    {"id": f"b{i}", "hz": 60 * 2.2**i, "gain_db": (-1) ** i * 2, "q": 1, "channels": ("mid", "side", "stereo")[i % 3]}
    for i in range(8)
]

STAGES: dict[str, dict[str, Any]] = {
    "filter, high-pass 24 dB/oct": {"kind": "filter", "params": {"high_pass_on": True}},
    "compressor, one detector filter": {
        "kind": "compressor",
        "params": {"threshold_db": -24, "detector_filters": [{"kind": "high_pass", "hz": 110}]},
    },
    "limiter, true peak": {"kind": "limiter", "params": {"gain_db": 6}},
    "equalizer, 8 bands on mid, side and stereo": {"kind": "equalizer", "params": {"bands": EIGHT}},
    "equalizer, the same in linear phase": {"kind": "equalizer", "params": {"bands": EIGHT, "phase": "linear"}},
}
SHORT_CHAIN = [STAGES[name] for name in list(STAGES)[:3]]

GOALS = {
    "compressor, one detector filter": "≤ 5 BASE",
    "equalizer, 8 bands on mid, side and stereo": "≤ 10 BASE",
    "equalizer, the same in linear phase": "≤ 40 BASE",
}

MEMORY = """
import sys
from pathlib import Path
from tests.conftest import recipe_of
from bench.engine import SHORT_CHAIN, Endless
from tin_kettle.core.deliver.printing import PrintSettings, print_song
out = Path(sys.argv[1]) / "long.wav"
print_song(recipe_of(*SHORT_CHAIN), {"mix": Endless(float(sys.argv[2]))}, out, PrintSettings())
# of this process alone; what getrusage tells counts its parent's
status = Path("/proc/self/status").read_text()
print(next(int(line.split()[1]) for line in status.splitlines() if line.startswith("VmHWM")) / 1024)
"""


class Endless:
    """A source of any length that takes no room."""

    rate_hz = RATE_HZ

    def __init__(self, seconds: float) -> None:
        self.frames = round(seconds * RATE_HZ)
        self._turn = music(2.0) * 0.5

    def read(self, start: int, frames: int) -> np.ndarray:
        return self._turn[:, np.arange(start, start + frames) % self._turn.shape[1]]


def blocks(seconds: float, size: int) -> list[np.ndarray]:
    x = music(seconds) * 0.5
    return [np.ascontiguousarray(x[:, at : at + size]) for at in range(0, x.shape[1] - size, size)]


def per_frame_s(stages: list[dict[str, Any]], size: int = BLOCK) -> float:
    """Seconds that a frame takes through a chain in blocks of a size, on one thread."""
    graph, given = Graph(recipe_of(*stages), RATE_HZ), blocks(4.0, size)

    def work() -> None:
        for block in given:
            graph.process({"mix": block})

    return best_s(work, 9) / (len(given) * size)


def memory_mb(folder: str, seconds: float) -> float:
    """Peak memory of a process that prints a song of this length."""
    done = subprocess.run(
        [sys.executable, "-c", MEMORY, folder, str(seconds)], capture_output=True, text=True, check=True
    )
    return float(done.stdout)


def in_base(stage: dict[str, Any], size: int, base: Callable[[], float]) -> float:
    """What a stage costs in blocks of a size, in units that are measured just before and after it."""
    before_s = base()
    took_s = per_frame_s([stage], size) - per_frame_s([], size)
    return 2.0 * took_s / (before_s + base())


def rows(base: Callable[[], float], folder: str) -> Iterator[tuple[str, str, str]]:
    """(what, measured, goal)."""
    for name, stage in STAGES.items():
        offline, live = (in_base(stage, size, base) for size in (BLOCK, LIVE_BLOCK))
        yield f"{name}: in blocks of 8192, of 1024", f"{offline:.1f} BASE, {live:.1f} BASE", GOALS.get(name, "")
    source = ArraySource(music(SONG_S) * 0.5, RATE_HZ)
    took_s = best_s(lambda: sum(1 for _ in render(recipe_of(*SHORT_CHAIN), {"mix": source})), 2)
    yield "filter + compressor + limiter, 3 minutes, one thread", f"{SONG_S / took_s:.0f}× real time", "≥ 40×"
    took_s = best_s(lambda: survey_song(recipe_of(*SHORT_CHAIN), {"mix": source}), 2)
    yield "the survey of the same", f"{SONG_S / took_s:.0f}× real time", "≥ 45× (3 minutes in 4 s)"
    yield "memory of printing 3 minutes", f"{memory_mb(folder, 180):.0f} MB", "≤ 500 MB"
    yield "memory of printing 30 minutes", f"{memory_mb(folder, 1800):.0f} MB", "≤ 500 MB"
