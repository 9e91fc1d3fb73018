"""*Last Crossing*: 116 beats a minute, the loud end of the record, a stereo pre-master.

The faults, for the engineer to find: it came limited by ear and clips, it is harsh from 3 to 6 kHz, its low end is
light against the other songs, the hats stand far to the left, and it is louder than all of its neighbours.
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

BEAT_S = 60.0 / 116.0
SECTIONS = (
    ("intro", "Intro", 4),
    ("verse1", "Verse", 12),
    ("chorus1", "Chorus", 12),
    ("verse2", "Verse", 8),
    ("chorus2", "Chorus", 12),
    ("break", "Break", 6),
    ("chorus3", "Chorus", 14),
    ("end", "End", 2),
)
SCORE = Score(SECTIONS, BEAT_S, lead_s=0.1, tail_s=2.4)
BAR_S = SCORE.bar_s
_BM, _G, _D, _A = (35, (54, 59, 62, 66)), (31, (55, 59, 62, 67)), (38, (54, 57, 62, 66)), (33, (52, 57, 61, 64))
_EM, _FS = (28, (52, 55, 59, 64)), (30, (54, 58, 61, 66))
_CHORDS = {
    "intro": (_BM, _G),
    "verse": (_BM, _G, _D, _A),
    "chorus": (_G, _A, _BM, _D, _G, _A, _EM, _FS),
    "break": (_EM, _BM),
    "end": (_BM, _BM),
}
# beat within a bar, MIDI number, loudness
_TUNES = {
    "verse": ((0, 78, 0.8), (0.75, 81, 0.6), (1.5, 78, 0.7), (2.5, 76, 0.6)),
    "chorus": ((0, 86, 1.0), (0.5, 85, 0.7), (1, 83, 0.8), (2, 81, 0.9), (3, 83, 0.8), (3.5, 85, 0.7)),
    "break": ((0, 74, 0.6), (2, 78, 0.5)),
}
_KICKS = {"verse": (0.0, 1.75, 2.5), "chorus": (0.0, 1.0, 2.0, 3.0), "intro": (), "break": (0.0,), "end": (0.0,)}


def _drums(tape: Tape, pattern: str, bar: int, at: float) -> None:
    for beat in _KICKS[pattern]:
        tape.put(play.kick(), at + beat * BEAT_S, 0.52)
    if pattern in ("verse", "chorus"):
        for beat in (1, 3):
            tape.put(play.snare(), at + beat * BEAT_S, 0.9, 0.05)
    for eighth in range(8 if pattern != "end" else 0):
        tape.put(play.hat(eighth == 7 and bar % 2 == 1), at + eighth * BEAT_S / 2, 0.3 if eighth % 2 else 0.2, -0.75)
    if pattern == "break" and bar >= 4:
        for sixteenth in range(16):
            tape.put(play.snare(), at + sixteenth * BEAT_S / 4, 0.08 + 0.03 * sixteenth, 0.05)


def _music(tape: Tape, pattern: str, bar: int, at: float) -> None:
    chords = _CHORDS[pattern]
    root, chord = chords[bar % len(chords)]
    for beat in range(8 if pattern in ("verse", "chorus") else 0):
        tape.put(play.bass(root + (12 if beat % 4 == 3 else 0), 0.24), at + beat * BEAT_S / 2, 0.36)
    for index, midi in enumerate(chord):
        loud = {"intro": 0.1, "verse": 0.08, "chorus": 0.17, "break": 0.13, "end": 0.12}[pattern]
        tape.put(play.harmonium(midi + 12, BAR_S + 0.2), at, loud, -0.6 + 0.4 * index)
    if pattern == "chorus":
        for index, midi in enumerate(chord[1:]):
            tape.put(play.voice(midi + 12, BAR_S * 0.95, "ah", 160 + index), at, 0.2, -0.55 + 0.55 * index)
        tape.put(play.sibilant(170 + bar % 4), at + 1.4 * BEAT_S, 0.22, 0.1)
    for beats, midi, loudness in _TUNES.get(pattern, ()):
        tape.put(play.vibraphone(midi), at + beats * BEAT_S, 0.32 * loudness, 0.3 * np.sin(beats))


def last_crossing() -> NDArray[np.float64]:
    """The pre-master, (2, frames) at 48 kHz; some samples stand at full scale."""
    tape = Tape(SCORE.seconds)
    for _, pattern, bar, at in SCORE.bars():
        _drums(tape, pattern, bar, at)
        _music(tape, pattern, bar, at)
    mix = in_room(tape.samples, 0.6)
    harsh = sosfilt(butter(1, [3000, 6000], "bandpass", fs=RATE_HZ, output="sos"), mix)
    light = sosfilt(butter(1, 90, "highpass", fs=RATE_HZ, output="sos"), mix + 0.9 * harsh)
    pushed = np.tanh(1.5 * light / np.quantile(np.abs(light), 0.9995))
    return np.asarray(np.clip(1.06 * pushed, -1.0, 1.0))


def last_crossing_recipe() -> Recipe:
    """Where the demo starts: still too loud and too bright against the rest, as it came."""
    calm = {"id": "calm", "hz": 4200.0, "gain_db": -1.0, "q": 0.9}
    return parse_recipe(
        {
            "format": FORMAT,
            "version": VERSION,
            "buses": [{"id": "mix", "name": "Mix"}],
            "master": [
                {"id": "room", "kind": "trim", "params": {"gain_db": -6}},
                {"id": "tone", "kind": "equalizer", "params": {"bands": [calm]}},
                {"id": "ceiling", "kind": "limiter", "params": {"gain_db": 3, "ceiling_db": -1}},
            ],
            "sections": SCORE.named(),
        }
    )
