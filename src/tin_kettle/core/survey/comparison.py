"""What one file does that another does not: aligned to the sample, at equal loudness, and what is left."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from tin_kettle.core.dsp.decibels import db_to_gain
from tin_kettle.core.engine.parallel import BLOCK_FRAMES
from tin_kettle.core.engine.source import Part, Source
from tin_kettle.core.errors import AudioError
from tin_kettle.core.measure.band_map import NOMINAL_HZ, BandMeter, difference_db, mean_db, rounded
from tin_kettle.core.measure.loudness import LoudnessMeter, integrated_lufs, stereo_energy
from tin_kettle.core.progress import Progress
from tin_kettle.core.survey.align import lag_frames
from tin_kettle.core.survey.change_text import change_words

MOST_DELAY_S = 1.0
LEAST_NULL_DB = -200.0


@dataclass(frozen=True)
class Comparison:
    """What B does that A does not.

    Args:
        delay_frames: how much later B is; negative where it is earlier.
        loudness_lu: B minus A; None where one of them is silent.
        null_db: RMS of what is left of A minus B, aligned and equally loud, relative to A; None where A is silent.
        change_db: (31,) B minus A at equal loudness, NaN where both are silent.
    """

    delay_frames: int
    loudness_lu: float | None
    null_db: float | None
    change_db: NDArray[np.float64]

    def document(self) -> dict[str, Any]:
        """Plain values."""
        return {
            "delay_frames": self.delay_frames,
            "loudness_lu": None if self.loudness_lu is None else round(self.loudness_lu, 3),
            "null_db": None if self.null_db is None else round(self.null_db, 2),
            "hz": list(NOMINAL_HZ),
            "db": rounded(self.change_db),
            "words": self.words,
        }

    @property
    def words(self) -> str:
        """In a sentence."""
        if self.loudness_lu is None:
            return "one of the two is silent"
        parts = []
        if self.delay_frames:
            parts.append(f"B is {abs(self.delay_frames)} frames {'late' if self.delay_frames > 0 else 'early'}")
        louder = self.loudness_lu
        amount = f"{abs(louder):.1f} LU {'louder' if louder > 0 else 'quieter'}"
        parts.append("equally loud" if abs(louder) < 0.05 else amount)
        parts.append(change_words(self.change_db[np.newaxis], 1.0, ()))
        if self.null_db is not None:
            left = f"what is left lies at {self.null_db:.0f} dB"
            parts.append("nothing is left" if self.null_db <= LEAST_NULL_DB else left)
        return "; ".join(parts).replace("-", "−")


def compare_sources(a: Source, b: Source, progress: Progress | None = None) -> Comparison:
    """Compare two sounds over what both have.

    Raises:
        AudioError: their rates differ, or they share nothing.
    """
    if a.rate_hz != b.rate_hz:
        raise AudioError(f"the rates differ ({a.rate_hz} and {b.rate_hz} Hz); convert one of them first")
    delay = lag_frames(a, b, 0.0, MOST_DELAY_S) or 0
    first_a, first_b = max(-delay, 0), max(delay, 0)
    frames = min(a.frames - first_a, b.frames - first_b)
    if frames <= 0:
        raise AudioError("the two share no part of their time; give two bounces of one song")
    parts = [Part(a, first_a, first_a + frames), Part(b, first_b, first_b + frames)]
    loudness = [LoudnessMeter(a.rate_hz) for _ in parts]
    bands = [BandMeter(a.rate_hz) for _ in parts]
    for at in range(0, frames, BLOCK_FRAMES):
        for part, lufs, meter in zip(parts, loudness, bands, strict=True):
            block = part.read(at, min(BLOCK_FRAMES, frames - at))
            lufs.feed(block)
            meter.feed(block)
        if progress:
            progress(min(1.0, (at + BLOCK_FRAMES) / frames))
    before, after = (integrated_lufs(stereo_energy(meter.slots())) for meter in loudness)
    louder = None if before is None or after is None else after - before
    levels = [mean_db(one.finish()) for one in bands]
    change_db = difference_db(levels[1], levels[0], louder or 0.0)
    null_db = _null_db(parts[0], parts[1], frames, louder or 0.0)
    return Comparison(delay, louder, null_db, change_db)


def _null_db(a: Source, b: Source, frames: int, louder_lu: float) -> float | None:
    gain, rest, whole = db_to_gain(-louder_lu), 0.0, 0.0
    for at in range(0, frames, BLOCK_FRAMES):
        run = min(BLOCK_FRAMES, frames - at)
        one = a.read(at, run)
        rest += float(np.sum((one - gain * b.read(at, run)) ** 2))
        whole += float(np.sum(one**2))
    if whole <= 0.0:
        return None
    return max(float(10.0 * np.log10(max(rest, 1e-300) / whole)), LEAST_NULL_DB)
