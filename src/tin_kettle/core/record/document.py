"""A record as a document: songs in order, with recipes, levels, gaps and fades.

``python -m tin_kettle.core.record.document`` prints its schema.
"""

from __future__ import annotations

import json
import sys
from pathlib import Path
from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field, model_validator

from tin_kettle.core.dsp.fades import FadeShape
from tin_kettle.core.errors import RecordError
from tin_kettle.core.recipe.reading import read_as, read_document

Text = Annotated[str, Field(max_length=200)]


class _Part(BaseModel):
    model_config = ConfigDict(extra="forbid", strict=True, frozen=True, allow_inf_nan=False)


class SongLaid(_Part):
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
    isrc: str | None = Field(default=None, pattern=r"^[A-Z]{2}[A-Z0-9]{3}[0-9]{7}$")


class RecordSong(SongLaid):
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
    date: str | None = Field(default=None, pattern=r"^\d{4}-\d{2}-\d{2}$")
    upc: str | None = Field(default=None, pattern=r"^\d{12,13}$")

    @model_validator(mode="after")
    def _upc_fits(self) -> RecordHead:
        if self.upc is not None and _check_digit(self.upc[:-1]) != int(self.upc[-1]):
            raise ValueError(f"upc {self.upc} ends in {self.upc[-1]}; its check digit is {_check_digit(self.upc[:-1])}")
        return self


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
