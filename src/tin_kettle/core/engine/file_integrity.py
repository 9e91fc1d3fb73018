"""Whether a sound file is all there: what its container states against what lies on the disk.

The sound library takes what is there without a word, and a song would end early. Sources: RIFF/WAVE (Microsoft 1991),
EBU Tech 3306 (RF64), Sony Wave64, AIFF 1.3 (Apple 1989), RFC 3533 (Ogg).
"""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import BinaryIO

_UNKNOWN = (0, 0xFFFFFFFF, 0x7FFFFFFF)
"""What recorders leave that could not go back; the length is then the file's."""
_W64_DATA = bytes.fromhex("64617461f3acd3118cd100c04f8edb8a")
_OGG_HEAD, _OGG_MOST = 27, 65307
_LAST_PAGE = 4


def what_is_missing(path: Path) -> str | None:
    """What the container promises and the file does not hold, in words; None where nothing is missing."""
    size = path.stat().st_size
    with path.open("rb") as file:
        head = file.read(16)
        for begins, look in _CONTAINERS.items():
            if head.startswith(begins):
                file.seek(0)
                return look(file, size)
    return None


def wave_chunks(path: Path) -> set[bytes]:
    """Names of the chunks of a RIFF or RF64 file up to its sound and after it."""
    names, long_data = set(), 0
    with path.open("rb") as file:
        file.seek(12)
        while len(chunk := file.read(8)) == 8:
            names.add(chunk[:4])
            length = int.from_bytes(chunk[4:], "little")
            if chunk[:4] == b"ds64":
                long_data = int.from_bytes(file.read(length)[8:16], "little")
                continue
            if chunk[:4] == b"data" and long_data:
                length = long_data
            file.seek(length + length % 2, 1)
    return names


def _bytes(missing: int) -> str | None:
    return f"{missing} bytes of its sound are missing" if missing > 0 else None


def _riff(file: BinaryIO, size: int) -> str | None:
    """RIFF and RF64: the data chunk, whose length an RF64 file keeps in ds64."""
    file.seek(12)
    stated = 0
    while len(chunk := file.read(8)) == 8:
        name, length = chunk[:4], int.from_bytes(chunk[4:], "little")
        if name == b"ds64":
            long = file.read(length)
            stated = int.from_bytes(long[8:16], "little")
            continue
        if name == b"data":
            if length in _UNKNOWN:
                return _bytes(file.tell() + stated - size) if stated else None
            return _bytes(file.tell() + length - size)
        file.seek(length + length % 2, 1)
    return "its sound is missing"


def _w64(file: BinaryIO, size: int) -> str | None:
    """Chunks named by 16 bytes, their lengths with the head, on borders of 8."""
    file.seek(40)
    while len(chunk := file.read(24)) == 24:
        length = int.from_bytes(chunk[16:], "little")
        if chunk[:16] == _W64_DATA:
            return _bytes(file.tell() + length - 24 - size)
        if length < 24:
            break
        file.seek(length - 24 + -length % 8, 1)
    return "its sound is missing"


def _aiff(file: BinaryIO, size: int) -> str | None:
    file.seek(12)
    while len(chunk := file.read(8)) == 8:
        length = int.from_bytes(chunk[4:], "big")
        if chunk[:4] == b"SSND":
            return _bytes(file.tell() + length - size)
        file.seek(length + length % 2, 1)
    return "its sound is missing"


def _ogg(file: BinaryIO, size: int) -> str | None:
    """No length is stated; the last page says that it is the last."""
    file.seek(max(0, size - 2 * _OGG_MOST))
    rest = file.read()
    at = rest.rfind(b"OggS")
    while at >= 0:
        page = rest[at : at + _OGG_HEAD]
        if len(page) == _OGG_HEAD:
            lengths = rest[at + _OGG_HEAD : at + _OGG_HEAD + page[26]]
            whole = len(lengths) == page[26] and at + _OGG_HEAD + page[26] + sum(lengths) <= len(rest)
            return None if whole and page[5] & _LAST_PAGE else "its end is missing"
        at = rest.rfind(b"OggS", 0, at)
    return "its end is missing"


_CONTAINERS: dict[bytes, Callable[[BinaryIO, int], str | None]] = {
    b"RIFF": _riff,
    b"RF64": _riff,
    b"riff": _w64,
    b"FORM": _aiff,
    b"OggS": _ogg,
}
