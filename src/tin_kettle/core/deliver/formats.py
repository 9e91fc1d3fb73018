"""Writing sound files: beside, then renamed, so that no half-written file ever stands where a print should."""

from __future__ import annotations

import os
from pathlib import Path
from types import TracebackType
from typing import Literal, Self

import numpy as np
import soundfile
from numpy.typing import NDArray

from tin_kettle.core.errors import AudioError

Bits = Literal["16", "24", "32f"]
FORMATS = {".wav": "WAV", ".flac": "FLAC", ".aiff": "AIFF", ".aif": "AIFF"}
_SUBTYPES = {"16": "PCM_16", "24": "PCM_24", "32f": "FLOAT"}
_MOST_WAV_BYTES = 0xFFFFFFFF - 1024


def check_print(path: Path, bits: Bits, rate_hz: int, frames: int) -> None:
    """Refuse what the format cannot hold.

    Raises:
        AudioError: unknown ending, float FLAC, a rate FLAC does not know, no such folder.
    """
    kind = FORMATS.get(path.suffix.lower())
    if kind is None:
        raise AudioError(f"{path.name}: the ending '{path.suffix}' is not known; use .wav, .flac or .aiff")
    if kind == "FLAC" and bits == "32f":
        raise AudioError(f"{path.name}: FLAC holds no floats; use --bits 24, or .wav for 32f")
    if kind == "FLAC" and rate_hz > 192000:
        raise AudioError(f"{path.name}: FLAC ends at 192000 Hz and this is {rate_hz} Hz; use .wav")
    if kind == "AIFF" and frames * 2 * 4 > _MOST_WAV_BYTES:
        raise AudioError(f"{path.name}: too long for AIFF; use .wav")
    if not path.parent.is_dir():
        raise AudioError(f"{path.parent} is no folder; make it first or name another")
    if path.is_dir():
        raise AudioError(f"{path} is a folder; name a file")


class Writer:
    """A stereo or mono file in the making; leaving the ``with`` block by an error removes it."""

    def __init__(self, path: Path, rate_hz: int, bits: Bits, frames: int) -> None:
        self.path = path
        self._beside = path.with_name(f".{path.name}.{os.getpid()}.part")
        kind = FORMATS[path.suffix.lower()]
        sample_bytes = {"16": 2, "24": 3, "32f": 4}[bits]
        if kind == "WAV" and frames * 2 * sample_bytes > _MOST_WAV_BYTES:
            kind = "RF64"
        self._bits = bits
        try:
            self._file = soundfile.SoundFile(str(self._beside), "w", rate_hz, 2, subtype=_SUBTYPES[bits], format=kind)
        except (soundfile.LibsndfileError, RuntimeError, OSError) as problem:
            raise AudioError(f"{path} cannot be written; choose a folder that you may write to") from problem

    def write_steps(self, steps: NDArray[np.int32]) -> None:
        """Append (2, frames) of whole steps."""
        # the library's own rounding is not exact; whole numbers shifted to the top of 32 bits pass untouched
        shift = 32 - int(self._bits)
        self._write(np.ascontiguousarray((steps << shift).T))

    def write_floats(self, block: NDArray[np.float64]) -> None:
        """Append (2, frames) of floats."""
        self._write(np.ascontiguousarray(block.T, dtype=np.float32))

    def _write(self, frames: NDArray[np.generic]) -> None:
        try:
            self._file.write(frames)
        except (soundfile.LibsndfileError, RuntimeError) as problem:
            raise AudioError(f"{self.path} cannot be written further; is the disk full?") from problem

    def __enter__(self) -> Self:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self._file.close()
        if error is None:
            self._beside.replace(self.path)
        else:
            self._beside.unlink(missing_ok=True)
