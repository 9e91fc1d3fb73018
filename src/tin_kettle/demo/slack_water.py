"""*Slack Water*: 69 beats a minute in threes, the quiet middle of the record, a stereo pre-master.

The faults, for the engineer to find: harmonium and bass boom together near 190 Hz, the highs are dull, the image leans
to the right, the bellows creak below 30 Hz, the quiet sections are very quiet, and the whole song is far softer than
its neighbours.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from scipy.signal import butter, sosfilt

from tin_kettle.core.recipe.model import FORMAT, VERSION, Recipe
from tin_kettle.core.recipe.reading import parse_recipe
from tin_kettle.demo import instruments as play
from tin_kettle.demo.instruments import RATE_HZ
from tin_kettle.demo.score import Score
from tin_kettle.demo.tape import Tape, in_room

BEAT_S = 60.0 / 69.0
SECTIONS = (
    ("low", "Low water", 8),
    ("verse1", "Verse", 12),
    ("swell1", "Swell", 8),
    ("verse2", "Verse", 8),
    ("swell2", "Swell", 12),
    ("end", "Low water", 6),
)
SCORE = Score(SECTIONS, BEAT_S, lead_s=0.2, tail_s=3.0, beats=3)
BAR_S = SCORE.bar_s
# root of the bass, chord of the harmonium, as MIDI numbers
_C, _AM, _F, _G = (36, (55, 60, 64, 67)), (33, (52, 57, 60, 64)), (29, (53, 57, 60, 65)), (31, (50, 55, 59, 62))
_DM, _EM = (38, (53, 57, 62, 65)), (28, (52, 55, 59, 64))
_CHORDS = {"low": (_C, _AM), "verse": (_C, _AM, _F, _G), "swell": (_F, _G, _EM, _AM, _DM, _F, _G, _C), "end": (_F, _C)}
# beat within two bars, MIDI number, loudness
_TUNES = {
    "low": ((1, 79, 0.6), (4, 76, 0.5)),
    "verse": ((0, 76, 0.8), (1.5, 79, 0.6), (2, 81, 0.7), (3, 79, 0.8), (5, 74, 0.6)),
    "swell": ((0, 84, 0.9), (1, 81, 0.8), (2, 79, 0.7), (3, 81, 0.9), (4.5, 84, 0.7), (5, 86, 0.8)),
    "end": ((0, 72, 0.6), (3, 76, 0.4)),
}


def _bar(dry: Tape, wet: Tape, pattern: str, bar: int, at: float) -> None:
    chords = _CHORDS[pattern]
    root, chord = chords[bar % len(chords)]
    big = pattern == "swell"
    for index, midi in enumerate((chord[0] - 12, *chord) if big else chord):
        reed = play.harmonium(midi, BAR_S + 0.4)
        wet.put(reed, at - 0.06, {"low": 0.08, "verse": 0.1, "swell": 0.16, "end": 0.07}[pattern], -0.3 + 0.25 * index)
    if pattern != "low":
        dry.put(play.bass(root + 12, BAR_S * 0.9), at, 0.5 if big else 0.42, 0.05)
    if pattern in ("verse", "swell"):
        for beat in range(3):
            dry.put(play.brush(0.4, 120 + beat), at + beat * BEAT_S - 0.05, 0.2 if big else 0.11, 0.3 - 0.2 * beat)
    if big:
        dry.put(play.kick(), at, 0.4)
        dry.put(play.kick(), at + 2.5 * BEAT_S, 0.25)
        for index, midi in enumerate(chord[1:]):
            wet.put(
                play.voice(midi, BAR_S * 0.98, "oo" if bar % 4 < 2 else "ah", 130 + index), at, 0.15, -0.5 + 0.5 * index
            )
    if bar % 2 == 0:
        for beats, midi, loudness in _TUNES[pattern]:
            wet.put(play.vibraphone(midi), at + beats * BEAT_S, 0.3 * loudness, 0.4 * np.cos(beats + bar))


def slack_water() -> NDArray[np.float64]:
    """The pre-master, (2, frames) at 48 kHz."""
    dry, wet = Tape(SCORE.seconds), Tape(SCORE.seconds)
    for _, pattern, bar, at in SCORE.bars():
        _bar(dry, wet, pattern, bar, at)
    mix = in_room(dry.samples, 0.4) + in_room(wet.samples, 1.2)
    boom = sosfilt(butter(1, [160, 225], "bandpass", fs=RATE_HZ, output="sos"), mix)
    dull = sosfilt(butter(1, 5200, "lowpass", fs=RATE_HZ, output="sos"), mix + 1.1 * boom)
    t = np.arange(mix.shape[1]) / RATE_HZ
    creak = 0.022 * np.sin(2 * np.pi * 21.0 * t) * (1.0 + np.sin(2 * np.pi * 0.31 * t))
    leaning = dull * np.array([[0.88], [1.0]]) + creak
    return np.asarray(leaning * (10.0 ** (-6.5 / 20.0) / np.abs(leaning).max()))


def slack_water_recipe() -> Recipe:
    """Where the demo starts: the boom eased, the lows cleaned, a gentle hold, the level."""
    bands = [
        {"id": "boom", "hz": 190.0, "gain_db": -2.5, "q": 1.2},
        {"id": "open", "shape": "high_shelf", "hz": 5000.0, "gain_db": 2.5},
    ]
    hold = {"threshold_db": -26, "ratio": 1.5, "attack_ms": 40, "release_mode": "auto"}
    return parse_recipe(
        {
            "format": FORMAT,
            "version": VERSION,
            "buses": [{"id": "mix", "name": "Mix"}],
            "master": [
                {"id": "clean", "kind": "filter", "params": {"high_pass_on": True, "high_pass_hz": 30}},
                {"id": "tone", "kind": "equalizer", "params": {"bands": bands}},
                {"id": "hold", "kind": "compressor", "params": hold},
                {"id": "ceiling", "kind": "limiter", "params": {"gain_db": 8, "ceiling_db": -1}},
            ],
            "sections": SCORE.named(),
        }
    )
