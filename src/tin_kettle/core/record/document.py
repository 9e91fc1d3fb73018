"""A record as a document: songs in order, with recipes, levels, gaps and fades.

``python -m tin_kettle.core.record.document`` prints its schema.
"""

from __future__ import annotations

import json
import re
import sys
from datetime import date
from pathlib import Path
from typing import Annotated, Any, Literal

from pydantic import BaseModel, ConfigDict, Field, field_validator, model_validator

from tin_kettle.core.dsp.fades import FadeShape
from tin_kettle.core.errors import RecordError
from tin_kettle.core.recipe.reading import read_as, read_document

Text = Annotated[str, Field(max_length=200)]
_ISRC = re.compile(r"[A-Z]{2}[A-Z0-9]{3}[0-9]{7}", re.ASCII)
_UPC = re.compile(r"\d{12,13}", re.ASCII)
_DATE = re.compile(r"\d{4}-\d{2}-\d{2}", re.ASCII)


def _written(code: re.Pattern[str]) -> Any:
    """A code that may be missing; what it looks like stands in the schema, and refusals say it in words."""
    return Field(default=None, json_schema_extra={"pattern": f"^{code.pattern}$"})


class _Part(BaseModel):
    model_config = ConfigDict(extra="forbid", strict=True, frozen=True, allow_inf_nan=False)


class SongLayout(_Part):
    """How a song lies in a record.

    Args:
        gain_db: its level in the record, after its recipe.
        gap_s: silence before it; below nought it overlaps the song before by so much.
        fade_shape: of both its fades.
        start_s, end_s: what is left of it, in seconds of the song; null is its end.
        isrc: its International Standard Recording Code, without hyphens.
    """

    gain_db: float = Field(default=0.0, ge=-24, le=24)
    gap_s: float = Field(default=2.0, ge=-30, le=60)
    fade_in_s: float = Field(default=0.0, ge=0, le=60)
    fade_out_s: float = Field(default=0.0, ge=0, le=60)
    fade_shape: FadeShape = "smooth"
    start_s: float = Field(default=0.0, ge=0)
    end_s: float | None = Field(default=None, gt=0)
    isrc: str | None = _written(_ISRC)

    @field_validator("isrc")
    @classmethod
    def _isrc_fits(cls, isrc: str | None) -> str | None:
        if isrc is not None and not _ISRC.fullmatch(isrc):
            raise ValueError(
                f"isrc {isrc!r} is none; two letters, three letters or digits and seven digits are allowed"
            )
        return isrc


class RecordSong(SongLayout):
    """A song of the record. Paths are relative to the record's file.

    Args:
        source: the file of a recipe's one bus; ``buses`` (id → file) where there are several.
        recipe: null delivers the source as it is.
    """

    title: Text = Field(min_length=1)
    source: str | None = None
    buses: dict[str, str] | None = None
    recipe: str | None = None

    @model_validator(mode="after")
    def _one_source(self) -> RecordSong:
        if (self.source is None) == (self.buses is None):
            raise ValueError("has no source; give source, or buses" if self.buses is None else "give source or buses")
        return self


class RecordHead(_Part):
    """What a record is called, and its numbers."""

    title: Text = Field(min_length=1)
    artist: Text = ""
    date: str | None = _written(_DATE)
    upc: str | None = _written(_UPC)

    @field_validator("date")
    @classmethod
    def _date_fits(cls, date: str | None) -> str | None:
        if date is not None and not _is_date(date):
            raise ValueError(f"date {date!r} is none; a day as 2026-11-26 is allowed")
        return date

    @field_validator("upc")
    @classmethod
    def _upc_fits(cls, upc: str | None) -> str | None:
        if upc is None:
            return None
        if not _UPC.fullmatch(upc):
            raise ValueError(f"upc {upc!r} is none; 12 or 13 digits are allowed")
        if _check_digit(upc[:-1]) != int(upc[-1]):
            raise ValueError(f"upc {upc} ends in {upc[-1]}; its check digit is {_check_digit(upc[:-1])}")
        return upc


class Record(RecordHead):
    """The document.

    Args:
        cover: a PNG or JPEG file, relative to the record's file.
    """

    model_config = ConfigDict(title="Tin Kettle record")

    format: Literal["tin-kettle-record"]
    version: Literal[1]
    cover: str | None = None
    songs: tuple[RecordSong, ...] = Field(min_length=1, max_length=99, strict=False)


def _is_date(text: str) -> bool:
    if not _DATE.fullmatch(text):
        return False
    try:
        date.fromisoformat(text)
    except ValueError:
        return False
    return True


def _check_digit(digits: str) -> int:
    """Of UPC and EAN: threes and ones from the right."""
    return -sum(int(d) * (3 if i % 2 == 0 else 1) for i, d in enumerate(reversed(digits))) % 10


def parse_record(document: object) -> Record:
    """Check a decoded record.

    Raises:
        RecordError: with the JSON path, the value and what is allowed.
    """
    return read_as(Record, document, RecordError)


def load_record(path: Path) -> Record:
    """Read a record.

    Raises:
        RecordError: it cannot be read, is no JSON, or is refused.
    """
    return parse_record(read_document(path, "record", RecordError))


if __name__ == "__main__":
    sys.stdout.write(json.dumps(Record.model_json_schema(), indent=2, ensure_ascii=False) + "\n")
