"""Spoiled sound files: taken in whole, or refused by our own errors; nothing is left behind of what is refused."""

from __future__ import annotations

from contextlib import closing
from pathlib import Path

import numpy as np
import soundfile

from tests.attack.row import Row
from tests.conftest import music
from tin_kettle.core.engine.source import FileSource
from tin_kettle.core.errors import KettleError
from tin_kettle.store.database import Library
from tin_kettle.store.sources import keep_source, receive, source_path

KINDS = (
    ("WAV", "PCM_16"), ("WAV", "FLOAT"), ("WAVEX", "PCM_24"), ("RF64", "PCM_24"), ("W64", "PCM_16"),
    ("AIFF", "PCM_24"), ("FLAC", "PCM_16"), ("OGG", "VORBIS"), ("OGG", "OPUS"),
)  # fmt: skip


def attack(folder: Path, tries: int) -> Row:
    rng = np.random.default_rng(12)
    library = Library(folder / "files")
    originals = []
    for number, (kind, subtype) in enumerate(KINDS):
        path = folder / f"sound {number}.bin"
        soundfile.write(str(path), music(0.7, seed=number).T * 0.5, 48000, format=kind, subtype=subtype)
        originals.append(path.read_bytes())
    harm: list[str] = []
    taken = 0
    for number in range(tries):
        data = _spoiled(rng, originals[number % len(originals)])
        name = f"file {number} ({KINDS[number % len(KINDS)][0]})"
        try:
            kept = keep_source(library, *receive(library, iter([data])), f"{name}.bin")
            taken += 1
            with closing(FileSource(source_path(library, kept))) as source:
                source.read(0, source.frames)
        except KettleError as told:
            if str(library.home) in str(told):
                harm.append(f"{name}: the message tells a path")
        except Exception as fault:  # noqa: BLE001  this is what is looked for
            harm.append(f"{name}: {type(fault).__name__}: {fault}")
    left = [path.name for path in library.folder("incoming").iterdir()]
    if left:
        harm.append(f"left behind: {len(left)}")
    return Row("Spoiled sound files", f"{tries}", f"{tries - taken} refused in one line, {taken} play", tuple(harm))


def _spoiled(rng: np.random.Generator, data: bytes) -> bytes:
    made = bytearray(data)
    deed = rng.integers(4)
    if deed == 0:
        return bytes(made[: rng.integers(len(made))])
    # most of what matters stands at the beginning
    reach = len(made) if deed == 1 else min(len(made), 120)
    for _ in range(rng.integers(1, 12)):
        made[rng.integers(reach)] = rng.integers(256)
    return bytes(made)
