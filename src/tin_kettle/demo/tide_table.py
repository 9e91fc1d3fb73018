"""*Tide Table*: a made-up record that is finished and loud, to compare with. Forty seconds of it."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from tin_kettle.core.engine.offline import render
from tin_kettle.core.engine.source import ArraySource
from tin_kettle.core.recipe.model import FORMAT, VERSION
from tin_kettle.core.recipe.reading import parse_recipe
from tin_kettle.demo import instruments as play
from tin_kettle.demo.instruments import RATE_HZ
from tin_kettle.demo.tape import Tape, in_room

BEAT_S = 60.0 / 100.0
BAR_S = 4 * BEAT_S
BARS = 16
_CHORDS = ((33, (57, 60, 64, 69)), (29, (53, 57, 60, 65)), (36, (55, 60, 64, 67)), (31, (55, 59, 62, 67)))


def tide_table() -> NDArray[np.float64]:
    """The finished record, (2, frames) at 48 kHz: about −9.5 LUFS, ceiling −1 dBTP."""
    tape = Tape(BARS * BAR_S + 2.0)
    for bar in range(BARS):
        at = 0.05 + bar * BAR_S
        root, chord = _CHORDS[bar % 4]
        for beat in range(4):
            tape.put(play.kick(), at + beat * BEAT_S, 0.55)
            tape.put(play.hat(False), at + (beat + 0.5) * BEAT_S, 0.16, 0.3)
            tape.put(play.bass(root, 0.5), at + (beat + 0.5) * BEAT_S, 0.5)
        for beat in (1, 3):
            tape.put(play.snare(), at + beat * BEAT_S, 0.42)
        for index, midi in enumerate(chord):
            tape.put(play.harmonium(midi, BAR_S), at, 0.11, -0.7 + 0.45 * index)
            tape.put(play.vibraphone(midi + 12), at + index * BEAT_S, 0.2, 0.5 - 0.3 * index)
            tape.put(play.voice(midi, BAR_S * 0.95, "ah", 200 + index), at, 0.1, -0.5 + 0.33 * index)
    raw = in_room(tape.samples, 0.5)
    raw *= 0.5 / np.abs(raw).max()
    bands = [
        {"id": "lows", "shape": "low_shelf", "hz": 90, "gain_db": 1.5},
        {"id": "side", "shape": "high_pass", "hz": 130, "channels": "side"},
        {"id": "ring", "hz": 3400, "gain_db": -7, "q": 4},
        {"id": "air", "shape": "high_shelf", "hz": 9000, "gain_db": 2},
    ]
    recipe = parse_recipe(
        {
            "format": FORMAT,
            "version": VERSION,
            "master": [
                {"id": "clean", "kind": "filter", "params": {"high_pass_on": True, "high_pass_hz": 30}},
                {"id": "tone", "kind": "equalizer", "params": {"bands": bands}},
                {"id": "hold", "kind": "compressor", "params": {"threshold_db": -24, "ratio": 2, "attack_ms": 20}},
                {"id": "ceiling", "kind": "limiter", "params": {"gain_db": 14, "ceiling_db": -1}},
            ],
        }
    )
    return np.concatenate(list(render(recipe, {"mix": ArraySource(raw, RATE_HZ)})), axis=1)
