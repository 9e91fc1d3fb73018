"""What stands out on a record: songs louder, brighter or lighter than their neighbours, joins that jump.

A song is measured against all others at their levels in the record; its tone apart from its loudness.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from tin_kettle.core.measure.loudness import MOMENTARY_SLOTS, SLOTS_PER_S, running_lufs, stereo_energy
from tin_kettle.core.measure.tonal_map import BANDS_HZ, STEPS_PER_OCTAVE
from tin_kettle.core.record.document import SongLayout
from tin_kettle.core.record.layout import JOIN_S
from tin_kettle.core.record.levels import measures_in_record
from tin_kettle.core.stages.number_text import db
from tin_kettle.core.survey.survey import Survey

LOUDER_LU = 1.5
"""More than a listener lets pass from song to song without reaching for the volume."""
TONE_DB, APART_DB = 3.0, 2.0
"""Against the middle of the others, and against the nearest of them."""
JUMP_LU = 5.0
LOWEST_HZ, HIGHEST_HZ = 40.0, 14000.0
RANGES = (
    ("low end", 40.0, 150.0),
    ("low mids", 150.0, 500.0),
    ("mids", 500.0, 2500.0),
    ("3–6 kHz", 3000.0, 6000.0),
    ("top", 6000.0, 14000.0),
)


@dataclass(frozen=True)
class Outlier:
    """Something that stands out: songs by their place from 1 (two for a join), the sentence, the measure."""

    songs: tuple[int, ...]
    says: str
    value: float
    unit: str


def tones_db(surveys: Sequence[Survey]) -> NDArray[np.float64]:
    """(songs, 2, bands): mid and side of each song at its own loudness, thirds of an octave wide, in dB."""
    rows = []
    for survey in surveys:
        level = survey.measures["integrated_lufs"]
        average = survey.tonal.average_db(0.0, survey.seconds) - (-70.0 if level is None else level)
        rows.append(_in_thirds(average))
    return np.stack(rows)


def _in_thirds(levels_db: NDArray[np.float64]) -> NDArray[np.float64]:
    width = STEPS_PER_OCTAVE // 3 + 1
    padded = np.pad(10.0 ** (levels_db / 10.0), [(0, 0), (width // 2, width // 2)], mode="edge")
    return np.asarray(10.0 * np.log10(np.lib.stride_tricks.sliding_window_view(padded, width, axis=-1).mean(axis=-1)))


def relative_tones(surveys: Sequence[Survey]) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Each song's tone against the record's own average, (songs, 2, bands), and the band that most of it keeps to.

    The band is (2, 2, bands): lowest and highest of what all songs but the farthest one reach, for three and more.
    """
    tones = tones_db(surveys)
    relative = tones - tones.mean(axis=0)
    if len(surveys) < 3:
        return relative, np.stack([relative.min(axis=0), relative.max(axis=0)])
    far = np.argsort(np.abs(relative), axis=0)[:-1]
    kept = np.take_along_axis(relative, far, axis=0)
    return relative, np.stack([kept.min(axis=0), kept.max(axis=0)])


def standing_out(songs: Sequence[tuple[Survey, SongLayout]]) -> list[Outlier]:
    """All that stands out, songs first; a record of one song has nothing to stand out from."""
    if len(songs) < 2:
        return []
    return [*_louder(songs), *_toned(songs), *_jumps(songs)]


def _louder(songs: Sequence[tuple[Survey, SongLayout]]) -> Iterator[Outlier]:
    levels = [measures_in_record(survey, laid)["integrated_lufs"] for survey, laid in songs]
    for n, level in enumerate(levels):
        rest = [other for m, other in enumerate(levels) if m != n and other is not None]
        if level is None or not rest:
            continue
        # the middle one: a single loud song does not make all others soft
        more = level - float(np.median(rest))
        if abs(more) >= LOUDER_LU:
            word = "louder" if more > 0 else "softer"
            yield Outlier((n + 1,), f"{db(abs(more), signed=False)} {word} than the rest", round(more, 2), "LU")


def _toned(songs: Sequence[tuple[Survey, SongLayout]]) -> Iterator[Outlier]:
    tones = tones_db([survey for survey, _ in songs])
    mid = 10.0 * np.log10(np.sum(10.0 ** (tones / 10.0), axis=1))
    for n in range(len(songs)):
        found = []
        for name, low, high in RANGES:
            inside = (low <= BANDS_HZ) & (high > BANDS_HZ)
            levels = mid[:, inside].mean(axis=1)
            rest = np.delete(levels, n)
            # one of two that are alike does not stand out
            apart = float(np.abs(levels[n] - rest).min())
            found.append((float(levels[n] - np.median(rest)), apart, name))
        for more, apart, name in sorted(found, key=lambda one: -abs(one[0]))[:2]:
            if abs(more) >= TONE_DB and apart >= APART_DB:
                said = f"{db(more)} in the {name}" if not name[0].isdigit() else f"{db(more)} around {name}"
                yield Outlier((n + 1,), f"{said} against the record", round(more, 2), "dB")


def _jumps(songs: Sequence[tuple[Survey, SongLayout]]) -> Iterator[Outlier]:
    for n in range(len(songs) - 1):
        before, after = _edge(*songs[n], last=True), _edge(*songs[n + 1], last=False)
        if before is None or after is None or abs(after - before) < JUMP_LU:
            continue
        word = "rises" if after > before else "falls"
        yield Outlier(
            (n + 1, n + 2), f"the level {word} by {abs(after - before):.1f} LU", round(after - before, 2), "LU"
        )


def _edge(survey: Survey, laid: SongLayout, last: bool) -> float | None:
    """The loudest moment of a song's last or first seconds, at its level; fades and silence at its end do not count."""
    first_slot = round(laid.start_s * SLOTS_PER_S)
    last_slot = len(survey.slots) if laid.end_s is None else round(laid.end_s * SLOTS_PER_S)
    slots = survey.slots[first_slot:last_slot]
    around = round(JOIN_S * SLOTS_PER_S)
    part = slots[-around:] if last else slots[:around]
    loudest = float(running_lufs(stereo_energy(part), MOMENTARY_SLOTS).max(initial=-200.0))
    return loudest + laid.gain_db if loudest > -70.0 else None
