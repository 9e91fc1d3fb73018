"""How fast stages, chains, the survey and a print are, and how much memory a long print takes."""

from __future__ import annotations

import subprocess
import sys
import tracemalloc
from collections.abc import Callable, Iterator, Sequence
from typing import Any

import numpy as np

from bench.base import best_s, turns_s
from tests.conftest import music, recipe_of
from tin_kettle.core.dsp.crossover import Bands
from tin_kettle.core.dsp.timeline import Span, Timeline
from tin_kettle.core.engine.graph.graph import Graph
from tin_kettle.core.engine.live.audition import Audition
from tin_kettle.core.engine.offline import render
from tin_kettle.core.engine.parallel import BLOCK_FRAMES
from tin_kettle.core.engine.source import ArraySource
from tin_kettle.core.measure.loudness import LoudnessMeter
from tin_kettle.core.survey.survey import survey_song

RATE_HZ = 48000
SONG_S = 180.0
BLOCK, LIVE_BLOCK = 8192, 1024

EIGHT = [
    {"id": f"b{i}", "hz": 60 * 2.2**i, "gain_db": (-1) ** i * 2, "q": 1, "channels": ("mid", "side", "stereo")[i % 3]}
    for i in range(8)
]

PINS = [{"id": f"p{i}", "hz": 150 * 2.2**i, "q": 1.5, "range_db": -6, "threshold_db": -40} for i in range(6)]

STAGES: dict[str, dict[str, Any]] = {
    "filter, high-pass 24 dB/oct": {"kind": "filter", "params": {"high_pass_on": True}},
    "compressor, one detector filter": {
        "kind": "compressor",
        "params": {"threshold_db": -24, "detector_filters": [{"kind": "high_pass", "hz": 110}]},
    },
    "limiter, true peak": {"kind": "limiter", "params": {"gain_db": 6}},
    "equalizer, 8 bands on mid, side and stereo": {"kind": "equalizer", "params": {"bands": EIGHT}},
    "equalizer, the same in linear phase": {"kind": "equalizer", "params": {"bands": EIGHT, "phase": "linear"}},
    "dynamic equalizer, 6 pins": {"kind": "dynamic_equalizer", "params": {"bands": PINS}},
    "band dynamics, 4 bands": {
        "kind": "band_dynamics",
        "params": {"bands": [{"id": f"b{i}", "threshold_db": -30, "ratio": 3} for i in range(4)]},
    },
    "tamer at 43 ms": {"kind": "tamer"},
    "leveller": {"kind": "leveller", "params": {"reach_db": 4}},
    "saturator, soft, 4×": {"kind": "saturator", "params": {"drive_db": 9}},
    "saturator, hard, 4×": {"kind": "saturator", "params": {"drive_db": 9, "curve": "hard"}},
    "clipper, 4×": {"kind": "clipper", "params": {"ceiling_db": -9}},
    "transients": {"kind": "transients", "params": {"attack_db": 4, "body_db": -2}},
    "room": {"kind": "room"},
}
THREE_BANDS = [
    {"id": name, "chain": [{"id": f"{name}-c", "kind": "compressor", "params": {"threshold_db": -24}}]}
    for name in ("low", "middle", "high")
]
CORNERS = [120, 2400]
SPLITS: dict[str, dict[str, Any]] = {
    "split of three bands, a compressor in each": {
        "kind": "split",
        "params": {"by": "bands", "crossovers_hz": CORNERS, "branches": THREE_BANDS},
    },
    "split of three bands, empty": {
        "kind": "split",
        "params": {"by": "bands", "crossovers_hz": CORNERS, "branches": [{"id": n} for n in ("low", "middle", "high")]},
    },
    "split by hits, tonal and rest": {
        "kind": "split",
        "params": {"by": "percussive", "branches": [{"id": n} for n in ("hits", "tonal", "rest")]},
    },
}
Rides = Sequence[dict[str, Any]]
RIDDEN_CHAIN: list[dict[str, Any]] = [
    {"id": "trim", "kind": "trim"},
    {"id": "filter", "kind": "filter", "params": {"high_pass_on": True}},
    {"id": "tone", "kind": "equalizer", "params": {"bands": EIGHT}},
    *({"id": f"hold{i}", "kind": "compressor", "params": {"threshold_db": -24}} for i in range(3)),
    {"id": "end", "kind": "limiter", "params": {"gain_db": 6}},
]
RIDDEN = [
    ("trim", "gain_db", -3, 0), ("trim", "balance", -0.1, 0.1), ("filter", "mix", 0.5, 1), ("tone", "mix", 0.8, 1),
    ("mix", "pan", -0.1, 0.1),
    *((f"hold{i}", name, low, high) for i in range(3) for name, low, high in (
        ("threshold_db", -30, -20), ("ratio", 1.5, 3), ("attack_ms", 10, 40), ("mix", 0.6, 1))),
    ("end", "gain_db", 3, 6), ("end", "ceiling_db", -2, -1), ("mix", "gain_db", -3, 0),
]  # fmt: skip
SWEPT = [("filter", "high_pass_hz", 20, 60), ("tone", "bands.b1.gain_db", 0, 2)]


def rides(ridden: list[tuple[str, str, float, float]]) -> Rides:
    """Up and down again in four seconds."""
    return [
        {
            "target": target,
            "param": param,
            "points": [
                {"at": 0, "value": low, "ramp": "line"},
                {"at": 2, "value": high, "ramp": "smooth"},
                {"at": 4, "value": low},
            ],
        }
        for target, param, low, high in ridden
    ]


BY_FREQUENCY = [
    STAGES["filter, high-pass 24 dB/oct"],
    {"kind": "equalizer", "params": {"bands": EIGHT[:6]}},
    STAGES["compressor, one detector filter"],
    STAGES["band dynamics, 4 bands"],
    {"kind": "dynamic_equalizer", "params": {"bands": PINS[:4]}},
    STAGES["tamer at 43 ms"],
]
NINE = [*BY_FREQUENCY, STAGES["saturator, soft, 4×"], STAGES["limiter, true peak"]]
CHAINS = {
    "filter, equalizer 6, compressor, band dynamics 4, dynamic equalizer 4, tamer": (
        BY_FREQUENCY,
        ("", "≥ 30× real time"),
    ),
    "the same with saturator, limiter and a loudness meter": (NINE, ("≤ 140 BASE", "≥ 25× real time")),
}
SHORT_CHAIN = [STAGES[name] for name in list(STAGES)[:3]]

GOALS = {
    "compressor, one detector filter": "≤ 5 BASE",
    "equalizer, 8 bands on mid, side and stereo": "≤ 10 BASE",
    "equalizer, the same in linear phase": "≤ 40 BASE",
    "dynamic equalizer, 6 pins": "≤ 23 BASE",
    "band dynamics, 4 bands": "≤ 18 BASE",
    "tamer at 43 ms": "≤ 42 BASE",
    "leveller": "≤ 6 BASE",
    "saturator, soft, 4×": "≤ 30 BASE",
    "saturator, hard, 4×": "≤ 30 BASE",
    "clipper, 4×": "≤ 30 BASE",
    "transients": "≤ 8 BASE",
    "room": "≤ 10 BASE",
    "split by hits, tonal and rest": "≤ 60 BASE",
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


def through(stages: list[dict[str, Any]], given: list[np.ndarray], automation: Rides = ()) -> Callable[[], None]:
    """Blocks through a chain, on one thread."""
    graph, clock = Graph(recipe_of(*stages, automation=list(automation)), RATE_HZ), Timeline()

    def work() -> None:
        for number, block in enumerate(given):
            graph.process({"mix": block}, Span(clock, number * block.shape[1], block.shape[1]))

    return work


def per_frame_s(stages: list[dict[str, Any]], size: int = BLOCK) -> float:
    """Seconds that a frame takes through a chain in blocks of a size."""
    given = blocks(4.0, size)
    return best_s(through(stages, given), 9) / (len(given) * size)


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


def ridden_share(size: int, automation: Rides) -> float:
    """What a chain of seven stages costs while values are ridden, against what it costs at rest."""
    given = blocks(4.0, size)
    still_s, ridden_s = turns_s(through(RIDDEN_CHAIN, given), through(RIDDEN_CHAIN, given, automation))
    return float(np.median(ridden_s / still_s))


def split_share() -> float:
    """What an empty split of three bands costs, against parting a stereo stream into them by itself."""
    bands, given = Bands(tuple(CORNERS), RATE_HZ), blocks(4.0, BLOCK)
    state = {name: array.copy() for name, array in bands.silence.items()}

    def parted() -> None:
        for block in given:
            bands.process(block, state)

    split = through([SPLITS["split of three bands, empty"]], given)
    split_s, nothing_s, parted_s = turns_s(split, through([], given), parted)
    return float(np.median((split_s - nothing_s) / parted_s))


def metered_s() -> float:
    """Seconds that a frame takes in a loudness meter."""
    meter, given = LoudnessMeter(RATE_HZ), blocks(4.0, BLOCK)

    def work() -> None:
        for block in given:
            meter.feed(block)
        meter.forget(100)

    return best_s(work, 9) / (len(given) * BLOCK)


def kept_mb() -> float:
    """Memory of 64 moments of a road with a linear-phase equalizer at 192 kHz."""
    rate_hz = 192000
    chain = [{"kind": "equalizer", "params": {"phase": "linear", "bands": EIGHT}}, {"kind": "limiter"}]
    tracemalloc.start()
    audition = Audition(recipe_of(*chain), {"mix": ArraySource(music(4.0, rate_hz), rate_hz)})
    for _ in range(4):
        audition.render()
    before = tracemalloc.get_traced_memory()[0]
    for _ in range(66):
        audition.render()
    grown = tracemalloc.get_traced_memory()[0] - before
    tracemalloc.stop()
    return grown / 2e6


def seek_ms(stage: dict[str, Any]) -> float:
    """From the request for another place to the first block from there, on this thread."""
    recipe = recipe_of({"kind": "trim"}, stage, {"kind": "limiter"})
    audition = Audition(recipe, {"mix": ArraySource(music(60.0), RATE_HZ)})

    def work() -> None:
        audition.seek(45 * RATE_HZ)
        audition.render()

    return 1000.0 * best_s(work, 5)


SLOW = {
    "a compressor of 3 s release": {"kind": "compressor", "params": {"threshold_db": -24, "release_ms": 3000}},
    "an optical one": {"kind": "compressor", "params": {"threshold_db": -24, "release_mode": "optical"}},
}


def shares(base: Callable[[], float]) -> Iterator[tuple[str, str, str]]:
    """Of each of the nine stages what it takes alone, in blocks of 8192, and its share of all."""
    costs = {stage["kind"].replace("_", " "): in_base(stage, BLOCK, base) for stage in NINE}
    costs["loudness meter"] = metered_s() / base()
    for name, cost in sorted(costs.items(), key=lambda one: -one[1]):
        yield name, f"{cost:.1f} BASE, {100 * cost / sum(costs.values()):.0f} %", ""


def rows(base: Callable[[], float], folder: str) -> Iterator[tuple[str, str, str]]:
    """(what, measured, goal)."""
    for name, stage in STAGES.items():
        offline, live = (in_base(stage, size, base) for size in (BLOCK, LIVE_BLOCK))
        yield f"{name}: in blocks of 8192, of 1024", f"{offline:.1f} BASE, {live:.1f} BASE", GOALS.get(name, "")
    for name, stage in SPLITS.items():
        yield name, f"{in_base(stage, BLOCK, base):.1f} BASE", GOALS.get(name, "")
    yield "an empty split, against its divider alone", f"{split_share():.2f} times", "≤ 1.3 times"
    for what, moved, goal in (
        ("twenty values", RIDDEN, "≤ 40 % more"),
        ("a corner and a band, voice to voice", SWEPT, ""),
    ):
        more = [100 * (ridden_share(size, rides(moved)) - 1) for size in (BLOCK_FRAMES, LIVE_BLOCK)]
        yield (
            f"ridden: {what}, in blocks of {BLOCK_FRAMES} as a print has them, of 1024",
            f"{more[0]:.0f} %, {more[1]:.0f} % more",
            goal,
        )
    minute = ArraySource(music(60.0) * 0.5, RATE_HZ)
    for what, (stages, goal) in CHAINS.items():
        before_s = base()
        took_s = per_frame_s(stages) + (metered_s() if stages is NINE else 0.0)
        cost = 2.0 * took_s / (before_s + base())
        yield f"{what}: one thread", f"{cost:.0f} BASE, {1.0 / (took_s * RATE_HZ):.0f}× real time", goal[0]
        live = 100 * per_frame_s(stages, LIVE_BLOCK) * RATE_HZ
        yield f"{what}: live, in blocks of 1024", f"{live:.1f} % of real time", "≤ 12 %"
        rendered_s = best_s(lambda stages=stages: sum(1 for _ in render(recipe_of(*stages), {"mix": minute})), 3)
        yield f"{what}: rendered on both cores", f"{60.0 / rendered_s:.0f}× real time", goal[1]
    yield "64 kept moments, linear phase at 192 kHz", f"{kept_mb():.0f} MB a road", "≤ 64 MB"
    for name, stage in SLOW.items():
        yield f"seek with {name}, to the first block", f"{seek_ms(stage):.0f} ms", "300 ms to sound"
    source = ArraySource(music(SONG_S) * 0.5, RATE_HZ)
    took_s = best_s(lambda: sum(1 for _ in render(recipe_of(*SHORT_CHAIN), {"mix": source})), 2)
    yield (
        "filter + compressor + limiter, 3 minutes, rendered on both cores",
        f"{SONG_S / took_s:.0f}× real time",
        "≥ 40×",
    )
    took_s = best_s(lambda: survey_song(recipe_of(*SHORT_CHAIN), {"mix": source}), 2)
    yield "the survey of the same", f"{SONG_S / took_s:.0f}× real time", "≥ 45× (3 minutes in 4 s)"
    yield "memory of printing 3 minutes", f"{memory_mb(folder, 180):.0f} MB", "≤ 500 MB"
    yield "memory of printing 30 minutes", f"{memory_mb(folder, 1800):.0f} MB", "≤ 500 MB"
