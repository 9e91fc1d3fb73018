"""Whether a sound file is all there: what its container states against what lies on the disk.

The sound library takes what is there without a word, and a song would end early. Sources: RIFF/WAVE (Microsoft 1991),
EBU Tech 3306 (RF64), Sony Wave64, AIFF 1.3 (Apple 1989), RFC 3533 (Ogg), RFC 9639 (FLAC).
"""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import BinaryIO

_UNKNOWN = (0, 0xFFFFFFFF, 0x7FFFFFFF)
"""What recorders leave that could not go back; the length is then the file's."""
_W64_DATA = bytes.fromhex("64617461f3acd3118cd100c04f8edb8a")
_OGG_HEAD = 27
_LAST_PAGE = 4
_LEADING = (0x80, 0xE0, 0xF0, 0xF8, 0xFC, 0xFE, 0xFF)
"""Below which the first byte of a number of one, two … seven bytes lies."""
FLAC_TAIL = 1 << 20
"""Bytes of the end in which the last frame lies."""


def what_is_wrong(path: Path) -> str | None:
    """What would be played shorter than it is, with the remedy, in words; None where the file is whole."""
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


def _cut(missing: str) -> str:
    return f"is cut short: {missing}; copy it again"


def _bytes(missing: int) -> str | None:
    return _cut(f"{missing} bytes of its sound are missing") if missing > 0 else None


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
    return _cut("its sound is missing")


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
    return _cut("its sound is missing")


def _aiff(file: BinaryIO, size: int) -> str | None:
    file.seek(12)
    while len(chunk := file.read(8)) == 8:
        length = int.from_bytes(chunk[4:], "big")
        if chunk[:4] == b"SSND":
            return _bytes(file.tell() + length - size)
        file.seek(length + length % 2, 1)
    return _cut("its sound is missing")


def _ogg(file: BinaryIO, size: int) -> str | None:
    """No length is stated: pages are numbered, the last one says that it is the last, and nothing may follow it."""
    number, ended, at = 0, False, 0
    while at < size:
        file.seek(at)
        page = file.read(_OGG_HEAD)
        lengths = file.read(page[26]) if len(page) == _OGG_HEAD else b""
        if len(page) < _OGG_HEAD or len(lengths) < page[26]:
            return _cut("its end is missing")
        if not page.startswith(b"OggS"):
            return _cut(f"what lies at byte {at} is no page of it")
        if ended:
            return "holds several recordings one after the other; bring each as a file of its own"
        if int.from_bytes(page[18:22], "little") != number:
            return _cut(f"page {number} is missing")
        number += 1
        ended = bool(page[5] & _LAST_PAGE)
        at += _OGG_HEAD + len(lengths) + sum(lengths)
    return None if ended and at == size else _cut("its end is missing")


def _flac(file: BinaryIO, size: int) -> str | None:
    """The head states how many samples there are; the last frame says how many there were before it."""
    head = file.read(42)
    stated = int.from_bytes(head[21:26], "big") & ((1 << 36) - 1)
    file.seek(max(0, size - FLAC_TAIL))
    tail = file.read()
    block = int.from_bytes(head[10:12], "big")
    at = len(tail)
    while stated and (at := tail.rfind(b"\xff", 0, at)) >= 0:
        begins = _flac_frame(tail[at : at + 16], block)
        if begins is not None:
            return "states that it is shorter than it is; save it again" if begins >= stated else None
    return None


def _flac_frame(frame: bytes, block: int) -> int | None:
    """The first sample of a frame that begins here (RFC 9639, section 9.1); None where none does."""
    if len(frame) < 16 or frame[1] & 0xFE != 0xF8 or frame[3] & 1:
        return None
    first = frame[4]
    length = next((count for count, top in enumerate(_LEADING, 1) if first < top), 0)
    if length == 0 or 0x80 <= first < 0xC0:
        return None
    number = first if length == 1 else first & (0x7F >> length)
    for byte in frame[5 : 4 + length]:
        number = number << 6 | byte & 0x3F
    end = 4 + length + {6: 1, 7: 2}.get(frame[2] >> 4, 0) + {12: 1, 13: 2, 14: 2}.get(frame[2] & 15, 0)
    if _crc8(frame[:end]) != frame[end]:
        return None
    return number if frame[1] & 1 else number * block


def _crc8(data: bytes) -> int:
    """x⁸ + x² + x + 1, from 0."""
    crc = 0
    for byte in data:
        crc ^= byte
        for _ in range(8):
            crc = crc << 1 ^ 0x107 if crc & 0x80 else crc << 1
    return crc


_CONTAINERS: dict[bytes, Callable[[BinaryIO, int], str | None]] = {
    b"RIFF": _riff,
    b"RF64": _riff,
    b"riff": _w64,
    b"FORM": _aiff,
    b"OggS": _ogg,
    b"fLaC": _flac,
}
