"""Writing sound files: beside, then renamed, so that no half-written file ever stands where a print should."""

from __future__ import annotations

import os
import weakref
from contextlib import suppress
from pathlib import Path
from types import TracebackType
from typing import Any, Literal, Self

import numpy as np
import soundfile
from numpy.typing import NDArray

from tin_kettle.core.atomic_files import put_in_place
from tin_kettle.core.errors import AudioError

Bits = Literal["16", "24", "32f"]
Container = Literal["wav", "bwf", "rf64", "flac", "aiff", "ogg", "opus", "mp3"]
LOSSY: tuple[Container, ...] = ("ogg", "opus", "mp3")
ENDINGS: dict[str, Container] = {
    ".wav": "wav",
    ".flac": "flac",
    ".aiff": "aiff",
    ".aif": "aiff",
    ".ogg": "ogg",
    ".opus": "opus",
    ".mp3": "mp3",
}
"""What a print's own name asks for."""
SUFFIX: dict[Container, str] = {"bwf": ".wav", "rf64": ".wav"}
"""Where it is not the container's name."""
_KINDS: dict[Container, str] = {
    "wav": "WAV",
    "bwf": "WAV",
    "rf64": "RF64",
    "flac": "FLAC",
    "aiff": "AIFF",
    "ogg": "OGG",
    "opus": "OGG",
    "mp3": "MP3",
}
_SUBTYPES = {"16": "PCM_16", "24": "PCM_24", "32f": "FLOAT"}
_CODED = {"ogg": "VORBIS", "opus": "OPUS", "mp3": "MPEG_LAYER_III"}
_MOST_WAV_BYTES = 0xFFFFFFFF - 1024
_HIGHEST_HZ: dict[Container, int] = {"flac": 192000, "mp3": 48000, "opus": 48000}
_OPUS_HZ = (8000, 12000, 16000, 24000, 48000)
_VORBIS_KBIT_S = (64, 80, 96, 112, 128, 160, 192, 224, 256, 320, 500)
"""What its qualities 0 to 10 come to for stereo at 44.1 and 48 kHz."""
USUAL_KBIT_S = 256


def suffix_of(container: Container) -> str:
    """How a file's name ends."""
    return SUFFIX.get(container, f".{container}")


def container_by_name(path: Path) -> Container:
    """What the ending of a print's name asks for.

    Raises:
        AudioError: it asks for nothing that is known.
    """
    kind = ENDINGS.get(path.suffix.lower())
    if kind is None:
        raise AudioError(
            f"{path.name}: the ending '{path.suffix}' is not known; use .wav, .flac, .aiff, .ogg, .opus or .mp3"
        )
    return kind


def check_print(path: Path, kind: Container, bits: Bits, rate_hz: int, frames: int) -> None:
    """Refuse what the format cannot hold.

    Raises:
        AudioError: float FLAC, a rate that the format does not know, no such folder.
    """
    if kind == "flac" and bits == "32f":
        raise AudioError(f"{path.name}: FLAC holds no floats; use --bits 24, or .wav for 32f")
    highest = _HIGHEST_HZ.get(kind, rate_hz)
    if rate_hz > highest:
        raise AudioError(f"{path.name}: {kind.upper()} ends at {highest} Hz and this is {rate_hz} Hz; use .wav")
    if kind == "opus" and rate_hz not in _OPUS_HZ:
        listed = ", ".join(map(str, _OPUS_HZ))
        raise AudioError(f"{path.name}: Opus knows no {rate_hz} Hz; ask for one of {listed}")
    if kind == "aiff" and frames * 2 * 4 > _MOST_WAV_BYTES:
        raise AudioError(f"{path.name}: too long for AIFF; use .wav")
    if not path.parent.is_dir():
        raise AudioError(f"{path.parent} is no folder; make it first or name another")
    if path.is_dir():
        raise AudioError(f"{path} is a folder; name a file")


def _coding(kind: Container, kbit_s: int) -> dict[str, Any]:
    """How the library is asked for a bit rate: from 0, the most, to 1."""
    if kind == "mp3":
        # constant bit rates from 32 to 320
        return {"bitrate_mode": "CONSTANT", "compression_level": min(max((320 - kbit_s) / 288, 0.0), 0.999)}
    if kind == "opus":
        # 6 to 256 a channel
        return {"compression_level": min(max((256 - kbit_s / 2) / 250, 0.0), 1.0)}
    quality = float(np.interp(kbit_s, _VORBIS_KBIT_S, np.arange(11)))
    return {"compression_level": 1.0 - quality / 10.0}


def _remove(path: Path) -> None:
    with suppress(OSError):
        path.unlink(missing_ok=True)


class Writer:
    """A stereo or mono file in the making; leaving the ``with`` block by an error removes it."""

    def __init__(
        self, path: Path, kind: Container, rate_hz: int, bits: Bits, frames: int, kbit_s: int = USUAL_KBIT_S
    ) -> None:
        self.path = path
        self._beside = path.with_name(f".{path.name}.{os.getpid()}.part")
        name, lossy = _KINDS[kind], kind in LOSSY
        sample_bytes = {"16": 2, "24": 3, "32f": 4}[bits]
        if kind in ("wav", "bwf") and frames * 2 * sample_bytes > _MOST_WAV_BYTES:
            name = "RF64"
        self._bits = bits
        subtype = _CODED[kind] if lossy else _SUBTYPES[bits]
        coding = _coding(kind, kbit_s) if lossy else {}
        # before it is there: a command may be stopped at any moment, also between here and the ``with`` block
        self._left_over = weakref.finalize(self, _remove, self._beside)
        try:
            self._file = soundfile.SoundFile(str(self._beside), "w", rate_hz, 2, subtype=subtype, format=name, **coding)
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
            put_in_place(self._beside, self.path)
            self._left_over.detach()
        else:
            self._left_over()
