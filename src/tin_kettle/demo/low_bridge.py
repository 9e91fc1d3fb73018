"""*Low Bridge*: 92 beats a minute, about two minutes, a stereo pre-master with the faults of an honest mix.

The faults, for the engineer to find: a loose sub under the kick, low end in the side, a ring near 3.4 kHz, sharp S
sounds, the left side a little louder, a constant offset, one needle-sharp hit as the first chorus begins, and
peaks far above the body.
"""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy.signal import oaconvolve

from tin_kettle.core.recipe.model import FORMAT, VERSION, Recipe
from tin_kettle.core.recipe.reading import dump_recipe, parse_recipe
from tin_kettle.demo import instruments as play
from tin_kettle.demo.instruments import RATE_HZ
from tin_kettle.demo.score import Score
from tin_kettle.demo.tape import Tape

BEAT_S = 60.0 / 92.0
LEAD_S = 0.15
SECTIONS = (
    ("intro", "Intro", 4),
    ("verse1", "Verse", 8),
    ("rise", "Rise", 4),
    ("chorus1", "Chorus", 8),
    ("verse2", "Verse", 8),
    ("bridge", "Bridge", 4),
    ("chorus2", "Chorus", 8),
    ("end", "End", 3),
)
SCORE = Score(SECTIONS, BEAT_S, LEAD_S, tail_s=2.5)
BAR_S = SCORE.bar_s
# root of the bass, chord of the harmonium, as MIDI numbers
_DM, _BB, _GM, _A = (
    (38, (50, 57, 60, 65)),
    (34, (50, 53, 58, 65)),
    (31, (50, 55, 58, 65)),
    (33, (49, 55, 57, 64)),
)
_F, _C, _AM = (29, (53, 57, 60, 65)), (36, (52, 55, 60, 67)), (33, (48, 52, 57, 64))
_CHORDS = {
    "intro": (_DM, _BB),
    "verse": (_DM, _BB, _GM, _A),
    "rise": (_GM, _GM, _A, _A),
    "chorus": (_F, _C, _DM, _BB),
    "bridge": (_BB, _AM, _GM, _C),
    "end": (_DM, _BB, _DM),
}
# beat within two bars, MIDI number, loudness
_VERSE_TUNE = (
    (0, 74, 0.9),
    (1.5, 77, 0.7),
    (2, 76, 0.8),
    (3, 72, 0.6),
    (4.5, 69, 0.8),
    (5, 70, 0.6),
    (6.5, 74, 0.75),
)
_CHORUS_TUNE = (
    (0, 81, 1.0),
    (0.5, 77, 0.7),
    (1.5, 79, 0.8),
    (2.5, 84, 0.9),
    (3.5, 81, 0.7),
    (4, 79, 0.9),
    (5.5, 76, 0.8),
    (6, 77, 0.9),
    (7, 72, 0.6),
)


def _drums(tape: Tape, pattern: str, bar: int, at: float) -> None:
    def beat(number: float) -> float:
        return at + number * BEAT_S

    if pattern in ("verse", "rise", "intro") and not (pattern == "intro" and bar < 2):
        for number in range(4):
            tape.put(play.brush(0.34, 20 + number), beat(number) - 0.04, 0.16, 0.25)
            tape.put(play.brush(0.16, 30 + number), beat(number + 0.5), 0.09, -0.3)
    if pattern == "verse":
        tape.put(play.kick(), beat(0), 0.62)
        tape.put(play.kick(), beat(2.5), 0.45)
    if pattern == "rise":
        for number in range(4):
            tape.put(play.kick(), beat(number), 0.42 + 0.06 * bar)
            tape.put(play.hat(False), beat(number + 0.5), 0.12 + 0.03 * bar, 0.35)
        if bar == 3:
            for number in range(8):
                tape.put(play.snare(), beat(2 + number / 4), 0.10 + 0.05 * number, 0.05)
    if pattern == "chorus":
        for hit in (0.0, 1.5, 2.5) if bar % 2 else (0.0, 2.0, 2.75):
            tape.put(play.kick(), beat(hit), 0.84)
        for number in (1, 3):
            tape.put(play.snare(), beat(number), 0.78, 0.05)
        for number in range(8):
            tape.put(play.hat(number == 7), beat(number / 2), 0.24 if number % 2 else 0.16, 0.35)
    if pattern == "bridge":
        for number in (1, 3):
            tape.put(play.brush(0.6, 40 + number), beat(number) - 0.1, 0.14, -0.2)


def _bass(tape: Tape, pattern: str, bar: int, at: float, root: int) -> None:
    lines: dict[str, tuple[tuple[float, int, float, float], ...]] = {
        "intro": (),
        "verse": ((0, 0, 1.4, 0.62), (2.5, 7, 0.7, 0.48), (3.5, 12, 0.35, 0.36)),
        "rise": tuple((n, 0, 0.55, 0.5) for n in range(4)),
        "chorus": (
            (0, 0, 0.6, 0.72),
            (1, 0, 0.3, 0.52),
            (1.5, 12, 0.5, 0.6),
            (2.5, 7, 0.5, 0.6),
            (3.5, 10, 0.3, 0.5),
        ),
        "bridge": ((0, 0, 2.4, 0.5),),
        "end": ((0, 0, 2.4, 0.5),) if bar < 2 else (),
    }
    for number, step, seconds, gain in lines[pattern]:
        # a few milliseconds between the sides put the low end into the side signal
        tape.put(play.bass(root + step, seconds), at + number * BEAT_S, gain, -0.06, spread_ms=1.9)


def _keys(tape: Tape, pattern: str, bar: int, at: float, chord: tuple[int, ...]) -> None:
    gain = {"intro": 0.09, "verse": 0.085, "rise": 0.12, "chorus": 0.16, "bridge": 0.15, "end": 0.10}[pattern]
    for index, midi in enumerate(chord):
        tape.put(play.harmonium(midi, BAR_S + 0.3), at - 0.05, gain, -0.5 + index / 3.0)
    if pattern == "rise":
        for number in range(8):
            tape.put(play.vibraphone(chord[number % 4] + 24), at + number * BEAT_S / 2, 0.10 + 0.03 * bar, 0.3)
    elif pattern in ("intro", "bridge", "end"):
        for beats, index in ((0.0, 0), (1.5, 2), (3.0, 3)):
            tape.put(play.vibraphone(chord[index] + 12), at + beats * BEAT_S, 0.24, 0.2 - 0.2 * index)


def _tune(tape: Tape, pattern: str, bar: int, at: float) -> None:
    tune = {"verse": _VERSE_TUNE, "chorus": _CHORUS_TUNE}.get(pattern, ())
    if bar % 2 == 0:
        for number, midi, loudness in tune:
            shift = -2 if pattern == "verse" and bar in (2, 6) else 0
            tape.put(play.vibraphone(midi + shift), at + number * BEAT_S, 0.34 * loudness, 0.32 * np.sin(number))


def _voices(tape: Tape, pattern: str, bar: int, at: float, chord: tuple[int, ...]) -> None:
    if pattern == "chorus":
        for index, (midi, pan) in enumerate(zip((*chord[1:], chord[1] + 12), (-0.55, 0.1, 0.6, -0.15), strict=True)):
            tape.put(play.voice(midi, BAR_S * 0.96, "ah", 60 + index), at, 0.13, pan)
        if bar % 2 == 0:
            tape.put(play.sibilant(70 + bar % 4), at - 0.13, 0.24, 0.1)
        tape.put(play.sibilant(75 + bar % 3), at + 2.45 * BEAT_S, 0.20, -0.1)
    if pattern == "bridge" or (pattern == "rise" and bar >= 2):
        for index, midi in enumerate(chord[1:]):
            tape.put(play.voice(midi, BAR_S * 0.96, "oo", 80 + index), at, 0.12, -0.5 + 0.5 * index)


def low_bridge() -> NDArray[np.float64]:
    """The pre-master, (2, frames) at 48 kHz; the same samples on every machine with the same NumPy."""
    bars = SCORE.bars()
    dry, wet = Tape(SCORE.seconds), Tape(SCORE.seconds)
    for _, pattern, bar, at in bars:
        chords = _CHORDS[pattern]
        root, chord = chords[bar % len(chords)]
        _drums(dry, pattern, bar, at)
        _bass(dry, pattern, bar, at, root)
        _keys(wet, pattern, bar, at, chord)
        _tune(wet, pattern, bar, at)
        _voices(wet, pattern, bar, at, chord)
    shared = 0.30 * dry.samples + wet.samples
    room = np.stack([oaconvolve(shared[c], play.room_response(90 + c))[: shared.shape[1]] for c in range(2)])
    mix = dry.samples + wet.samples + 1.1 * room
    mix *= 10.0 ** (-2.2 / 20.0) / np.abs(mix).max()
    return _with_faults(mix, bars)


def _with_faults(mix: NDArray[np.float64], bars: list[tuple[str, str, int, float]]) -> NDArray[np.float64]:
    mix = mix * np.array([[1.06], [0.95]])
    first_chorus = next(at for section, _, bar, at in bars if section == "chorus1" and bar == 0)
    needle = np.exp(-np.arange(40) / 6.0) * np.cos(np.arange(40) * 1.9)
    start = round(first_chorus * RATE_HZ)
    mix[:, start : start + 40] += 0.75 * needle
    mix *= 10.0 ** (-1.2 / 20.0) / np.abs(mix).max()
    return np.asarray(mix + 0.0024)


def low_bridge_recipe() -> Recipe:
    """Where the demo starts: clean the bottom, hold the mix together, hold a ceiling."""
    heard = {"kind": "high_pass", "hz": 110, "slope": 12}
    return parse_recipe(
        {
            "format": FORMAT,
            "version": VERSION,
            "buses": [{"id": "mix", "name": "Mix"}],
            "master": [
                {
                    "id": "clean",
                    "kind": "filter",
                    "params": {"high_pass_on": True, "high_pass_hz": 28, "high_pass_slope": 24},
                },
                {
                    "id": "hold",
                    "kind": "compressor",
                    "params": {
                        "threshold_db": -20,
                        "ratio": 1.7,
                        "attack_ms": 25,
                        "release_ms": 180,
                        "makeup_db": 1.5,
                        "detector_filters": [heard],
                    },
                },
                {"id": "ceiling", "kind": "limiter", "params": {"gain_db": 5, "ceiling_db": -1}},
            ],
            "sections": SCORE.named(),
        }
    )


def small_moves() -> Recipe:
    """The same with a few gentle moves against its faults: the version that the demo is compared with."""
    bands = [
        {"id": "calm", "hz": 3440, "gain_db": -2.4, "q": 5, "channels": "mid"},
        {"id": "loose", "hz": 62, "gain_db": -1.4, "q": 1.1, "channels": "mid"},
        {"id": "side-low", "shape": "high_pass", "hz": 150, "slope": 12, "channels": "side"},
        {"id": "side-air", "shape": "high_shelf", "hz": 6500, "gain_db": 1.2, "channels": "side"},
    ]
    document = dump_recipe(low_bridge_recipe())
    document["master"].insert(1, {"id": "moves", "kind": "equalizer", "params": {"bands": bands}})
    return parse_recipe(document)


def by_frequency() -> Recipe:
    """The same faults met only where and while they are there: the low end by a band, the harshness by pins."""
    firm = {
        "crossovers_hz": [120.0],
        "bands": [
            {"id": "low", "threshold_db": -26.0, "ratio": 2.6, "attack_ms": 25.0, "release_ms": 160.0, "gain_db": 1.8},
            {"id": "rest"},
        ],
    }
    pins = [
        {
            "id": "harsh",
            "hz": 3440.0,
            "q": 4.0,
            "range_db": -4.0,
            "threshold_db": -33.0,
            "ratio": 3.0,
            "channels": "mid",
        },
        {"id": "s", "hz": 7000.0, "q": 2.0, "range_db": -5.0, "threshold_db": -30.0, "ratio": 4.0},
    ]
    document = dump_recipe(low_bridge_recipe())
    document["master"][1:1] = [
        {"id": "firm", "kind": "band_dynamics", "params": firm},
        {"id": "calm", "kind": "dynamic_equalizer", "params": {"bands": pins}},
    ]
    return parse_recipe(document)


def by_section() -> Recipe:
    """What goes with the sections: more room through the rise; lows and more drive in the choruses."""
    document = dump_recipe(low_bridge_recipe())
    document["master"][1:1] = [
        {"id": "thin", "kind": "filter", "params": {"high_pass_on": True, "high_pass_hz": 65, "high_pass_slope": 12}},
        {"id": "warm", "kind": "saturator", "params": {"drive_db": 5}},
        {"id": "air", "kind": "room", "mix": 0.09, "params": {"low_cut_hz": 250}},
    ]

    def at(section: str, value: float | bool, edge: str = "start", ramp: str = "hold") -> dict[str, Any]:
        return {"at": {"section": section, "edge": edge, "offset_s": 0.0}, "value": value, "ramp": ramp}

    start = {"at": 0.0, "ramp": "hold"}
    rooms = [{**start, "value": 0.09}]
    for rising, chorus, after in (("rise", "chorus1", "verse2"), ("bridge", "chorus2", "end")):
        rooms += [at(rising, 0.09, ramp="smooth"), at(rising, 0.25, "end"), at(chorus, 0.25), at(after, 0.09)]
    lows, drives = [{**start, "value": True}], [{**start, "value": 0.9}]
    for section, low, drive in (
        ("verse1", True, 1.0),
        ("chorus1", False, 1.1),
        ("verse2", True, 1.0),
        ("chorus2", False, 1.1),
        ("end", True, 0.9),
    ):
        lows.append(at(section, low))
        drives.append(at(section, drive))
    document["automation"] = [
        {"target": "air", "param": "mix", "points": rooms},
        {"target": "thin", "param": "high_pass_on", "points": lows},
        {"target": "warm", "param": "amount", "points": drives},
    ]
    return parse_recipe(document)
