"""*Pilot Light*: 84 beats a minute, four printed buses that sum to the mix: drums, bass, keys, voices.

The faults, for the engineer to find: the bass hides the kick, the voices are sharp on their S and harsh near 2.9 kHz,
the keys reach down into the bass, and the snare's edge stands far above everything.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from tin_kettle.core.recipe.model import FORMAT, VERSION, Recipe
from tin_kettle.core.recipe.reading import dump_recipe, parse_recipe
from tin_kettle.demo import instruments as play
from tin_kettle.demo.score import Score
from tin_kettle.demo.tape import Tape, in_room

BEAT_S = 60.0 / 84.0
SECTIONS = (("start", "Intro", 4), ("v1", "Verse", 8), ("c1", "Chorus", 8), ("v2", "Verse", 4), ("c2", "Chorus", 8))
SCORE = Score(SECTIONS, BEAT_S, lead_s=0.1, tail_s=2.0)
BAR_S = SCORE.bar_s
BUSES = (("drums", "Drums"), ("bass", "Bass"), ("keys", "Keys"), ("voices", "Voices"))
# root of the bass, chord, as MIDI numbers
_EM, _C, _G, _D = (28, (52, 55, 59, 64)), (36, (52, 55, 60, 64)), (31, (50, 55, 59, 62)), (38, (50, 54, 57, 62))
_CHORDS = {"start": (_EM, _C), "v": (_EM, _C, _G, _D), "c": (_C, _G, _D, _EM)}


def _drums(tape: Tape, part: str, at: float) -> None:
    for number in range(8):
        tape.put(play.hat(number == 7), at + number * BEAT_S / 2, 0.1 if number % 2 else 0.16, 0.3)
    if part == "start":
        return
    for beat in (0.0, 2.5) if part == "v" else (0.0, 1.5, 2.0, 3.25):
        tape.put(play.kick(), at + beat * BEAT_S, 0.62)
    for beat in (1, 3):
        tape.put(play.snare(), at + beat * BEAT_S, 0.55 if part == "v" else 0.68, -0.05)


def _bass(tape: Tape, part: str, at: float, root: int) -> None:
    # on the kick and longer than it: one hides the other
    for beat, step, seconds in ((0.0, 0, 1.5), (2.0, 0, 0.8), (3.0, 7, 0.7)) if part != "start" else ():
        tape.put(play.bass(root + step, seconds), at + beat * BEAT_S, 0.62)


def _keys(tape: Tape, part: str, bar: int, at: float, chord: tuple[int, ...]) -> None:
    for index, midi in enumerate((*chord, chord[0] - 12)):
        tape.put(play.harmonium(midi, BAR_S + 0.2), at, 0.09 if part != "c" else 0.12, -0.6 + 0.3 * index)
    for number in range(4 if part != "c" else 8):
        midi = chord[(number + bar) % 4] + 12
        tape.put(
            play.vibraphone(midi), at + number * BAR_S / (4 if part != "c" else 8), 0.2, 0.4 * np.sin(number + bar)
        )


def _voices(tape: Tape, part: str, bar: int, at: float, chord: tuple[int, ...]) -> None:
    if part == "start":
        return
    vowel = "oo" if part == "v" else "ah"
    voices = chord[1:] if part == "c" else chord[2:3]
    for index, midi in enumerate(voices):
        tape.put(play.voice(midi + 12, BAR_S * 0.94, vowel, 30 + index), at, 0.2, -0.4 + 0.4 * index)
    if bar % 2 == 0:
        tape.put(play.sibilant(40 + bar % 3), at + 1.9 * BEAT_S, 0.34)


def pilot_light() -> dict[str, NDArray[np.float64]]:
    """Bus id → (2, frames) at 48 kHz; their sum peaks near −1.5 dBFS."""
    tapes = {name: Tape(SCORE.seconds) for name, _ in BUSES}
    for _, part, bar, at in SCORE.bars():
        chords = _CHORDS[part]
        root, chord = chords[bar % len(chords)]
        _drums(tapes["drums"], part, at)
        _bass(tapes["bass"], part, at, root)
        _keys(tapes["keys"], part, bar, at, chord)
        _voices(tapes["voices"], part, bar, at, chord)
    rooms = {"drums": 0.35, "bass": 0.0, "keys": 0.9, "voices": 1.0}
    made = {name: in_room(tape.samples, rooms[name]) for name, tape in tapes.items()}
    scale = 10.0 ** (-1.5 / 20.0) / np.abs(np.add.reduce(list(made.values()))).max()
    return {name: samples * scale for name, samples in made.items()}


def pilot_light_recipe() -> Recipe:
    """Where the demo starts: the bass makes room for the kick, little else."""
    duck: dict[str, object] = {
        "id": "duck",
        "kind": "compressor",
        "params": {
            "key": ["drums"],
            "threshold_db": -22,
            "ratio": 3,
            "attack_ms": 4,
            "release_ms": 120,
            "range_db": 6,
            "detector_filters": [{"kind": "low_pass", "hz": 120, "slope": 24}],
        },
    }
    chains: dict[str, list[dict[str, object]]] = {"bass": [duck]}
    return parse_recipe(
        {
            "format": FORMAT,
            "version": VERSION,
            "buses": [{"id": bus, "name": name, "chain": chains.get(bus, [])} for bus, name in BUSES],
            "master": [
                {
                    "id": "glue",
                    "kind": "compressor",
                    "params": {
                        "threshold_db": -18,
                        "ratio": 1.6,
                        "attack_ms": 30,
                        "release_ms": 120,
                        "release_mode": "auto",
                        "detector_filters": [{"kind": "high_pass", "hz": 100}],
                    },
                },
                {"id": "ceiling", "kind": "limiter", "params": {"gain_db": 4, "ceiling_db": -1}},
            ],
            "sections": SCORE.named(),
        }
    )


def in_colour() -> Recipe:
    """The same coloured: the drums apart by range, the bass denser, one room for all."""
    shared = {"size": 0.35, "decay_s": 0.5, "pre_delay_ms": 10.0, "low_cut_hz": 250.0, "high_cut_hz": 7000.0}
    air = {"size": 0.6, "decay_s": 0.9, "pre_delay_ms": 18.0, "low_cut_hz": 2000.0, "high_cut_hz": 16000.0}
    drums = {
        "id": "apart",
        "kind": "split",
        "params": {
            "by": "bands",
            "crossovers_hz": [350.0, 2200.0],
            "branches": [
                {"id": "kick", "name": "Kick"},
                {"id": "body", "name": "Body", "gain_db": -1.5},
                {
                    "id": "sticks",
                    "name": "Sticks",
                    "chain": [
                        {"id": "edge", "kind": "transients", "params": {"attack_db": -2.5, "speed_ms": 6.0}},
                        {"id": "air", "kind": "room", "mix": 0.1, "params": air},
                    ],
                },
            ],
        },
    }
    warm = {"id": "warm", "kind": "saturator", "params": {"curve": "soft", "drive_db": 12.0}}
    document = dump_recipe(pilot_light_recipe())
    for bus in document["buses"]:
        if bus["id"] == "drums":
            bus["chain"].append(drums)
        if bus["id"] == "bass":
            bus["chain"].append(warm)
    document["master"].insert(1, {"id": "space", "kind": "room", "mix": 0.06, "params": shared})
    return parse_recipe(document)
