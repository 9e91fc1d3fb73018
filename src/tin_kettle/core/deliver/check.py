"""Whether a finished file is what a delivery spec asks for, measured from the file itself."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import closing
from dataclasses import asdict, dataclass
from pathlib import Path
from typing import Any

import soundfile

from tin_kettle.core.deliver.spec import Spec
from tin_kettle.core.engine.file_integrity import wave_chunks
from tin_kettle.core.engine.measure_file import measure_file
from tin_kettle.core.engine.source import FileSource
from tin_kettle.core.measure.song_measures import Measures
from tin_kettle.core.progress import Progress

OFFSET = 0.001
"""Largest constant offset that passes, of full scale."""
PEAK_ROOM_DB = 0.05
"""What two meters of true peak may differ by."""
CHANNELS = 2
_WORDS = {
    "integrated_lufs": ("loudness", "LUFS", 1),
    "true_peak_dbtp": ("true peak", "dBTP", 2),
    "rate_hz": ("rate", "Hz", 0),
    "dc_offset": ("DC offset", "", 4),
}
"""Checks by their words, units and digits; the others are called as they are."""
_CONTAINERS = {"WAV": "wav", "WAVEX": "wav", "RF64": "rf64", "FLAC": "flac", "AIFF": "aiff", "MP3": "mp3"}
_BITS: dict[str, int | str] = {"PCM_16": 16, "PCM_24": 24, "FLOAT": "32f", "PCM_S8": 8, "PCM_U8": 8, "PCM_32": 32}


@dataclass(frozen=True)
class Check:
    """One thing that a spec asks for: what was wanted and what was found."""

    name: str
    wanted: Any
    found: Any
    passed: bool

    def document(self) -> dict[str, Any]:
        return asdict(self)

    @property
    def words(self) -> str:
        """Why it fails, as an engineer says it: ``loudness is −17.0 LUFS, −14.0 LUFS is asked for``."""
        name, unit, digits = _WORDS.get(self.name, (self.name.replace("_", " "), "", 3))

        def figure(value: Any) -> str:
            text = f"{value:.{digits}f}" if isinstance(value, float) else "nothing" if value is None else str(value)
            return f"{text} {unit}".strip().replace("-", "−")

        return f"{name} is {figure(self.found)}, {figure(self.wanted)} is asked for"

    @property
    def reason(self) -> str:
        """Why it fails, in words."""
        return f"{self.name} is {self.found}; {self.wanted} is asked for"


def container_of(path: Path) -> str:
    """A file's container by the names of specs; WAVE and RF64 with a ``bext`` chunk are Broadcast WAVE (Tech 3306)."""
    with soundfile.SoundFile(str(path)) as file:
        if file.format == "OGG":
            return "opus" if file.subtype == "OPUS" else "ogg"
        found = _CONTAINERS.get(file.format, file.format.lower())
    return "bwf" if found in ("wav", "rf64") and b"bext" in wave_chunks(path) else found


def check_file(path: Path, spec: Spec, progress: Progress | None = None) -> list[Check]:
    """Everything that a spec asks of a file, and two things that are always asked for."""
    return measured_checks(path, spec, progress)[1]


def measured_checks(path: Path, spec: Spec, progress: Progress | None = None) -> tuple[Measures, list[Check]]:
    """What a file measures, and everything that a spec asks of it.

    Raises:
        AudioError: the file cannot be read.
    """
    with closing(FileSource(path)) as source:
        measures = measure_file(source, progress)
    return measures, list(_checks(measures, container_of(path), soundfile.info(str(path)).subtype, spec))


def _checks(measures: Any, container: str, subtype: str, spec: Spec) -> Iterator[Check]:
    yield Check("container", spec.container, container, container == spec.container)
    if spec.rate_hz is not None:
        yield _same("rate_hz", spec.rate_hz, measures["rate_hz"])
    if spec.bits is not None:
        yield _same("bits", spec.bits, _BITS.get(subtype))
    yield _same("channels", CHANNELS, measures["channels"])
    if spec.ceiling_dbtp is not None:
        peak = measures["true_peak_dbtp"]
        yield Check("true_peak_dbtp", spec.ceiling_dbtp, _rounded(peak), peak <= spec.ceiling_dbtp + PEAK_ROOM_DB)
    if spec.loudness is not None:
        wanted, found = spec.loudness.integrated_lufs, measures["integrated_lufs"]
        near = found is not None and abs(found - wanted) <= spec.loudness.tolerance_lu
        yield Check("integrated_lufs", wanted, _rounded(found), near)
    yield _same("clipped_samples", 0, measures["clipped_samples"])
    worst = max(measures["dc_offset"], key=abs)
    yield Check("dc_offset", OFFSET, round(worst, 6), abs(worst) <= OFFSET)


def _same(name: str, wanted: Any, found: Any) -> Check:
    return Check(name, wanted, found, wanted == found)


def _rounded(value: float | None) -> float | None:
    return None if value is None else round(value, 3)
