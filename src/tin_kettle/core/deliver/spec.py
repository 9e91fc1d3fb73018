"""A delivery spec: what a finished file has to be. ``python -m tin_kettle.core.deliver.spec`` prints its schema."""

from __future__ import annotations

import json
import re
import sys
from pathlib import Path
from typing import Annotated, Any, Literal

from pydantic import BaseModel, ConfigDict, Field, model_validator

from tin_kettle.core.deliver.formats import LOSSY, Container
from tin_kettle.core.errors import SpecError
from tin_kettle.core.recipe.reading import read_as, read_document

NAMED = re.compile(r"\{(number:02|number|title|record|artist)\}")
"""What the name of a file may be made of, beside plain text."""

Tail = Literal["none", "auto"] | Annotated[float, Field(ge=0, le=600)]
"""Room after a song for what rings on: none, as long as it rings, or seconds."""


def tail_seconds(tail: Tail) -> float | None:
    """Seconds of a tail; None where it is as long as the recipe rings on."""
    if tail == "auto":
        return None
    return 0.0 if tail == "none" else float(tail)


class _Part(BaseModel):
    model_config = ConfigDict(extra="forbid", strict=True, frozen=True, allow_inf_nan=False)


class Loudness(_Part):
    """Integrated loudness of the whole file, and how far it may be off."""

    integrated_lufs: float = Field(ge=-60, le=0)
    tolerance_lu: float = Field(default=0.5, ge=0, le=20)


class Spec(_Part):
    """What a delivered file has to be; what is null is not asked for.

    Args:
        rate_hz: null keeps the source's.
        bits: of a sample; lossy containers have ``kbit_s`` instead.
        ceiling_dbtp: highest true peak.
        band_limit: whether nothing is left near the upper end, 20.6 kHz and above, at the file's rate.
        files: ``songs`` is a file a song, as it is alone. ``gapless`` is a file a song that goes on until the next
            begins, with the gap and with what crosses over, so that they play in a row as the record does. ``whole`` is
            one file with a cue sheet into it. The songs' levels and fades are in all of them.
        tail: room for what rings on after the song: ``none``, seconds, or ``auto`` for as long as it rings. A song
            whose end is cut or faded out in the record has none.
        tags: whether the file says what it is, where its container can.
        naming: of files, with ``{number}``, ``{number:02}``, ``{title}``, ``{record}`` and ``{artist}``.
    """

    format: Literal["tin-kettle-spec"]
    version: Literal[1]
    name: str = Field(min_length=1, max_length=120)
    container: Container
    rate_hz: int | None = Field(default=None, ge=8000, le=384000)
    bits: Literal[16, 24, "32f"] | None = None
    kbit_s: int | None = Field(default=None, ge=32, le=512)
    dither: Literal["none", "tpdf", "shaped"] | None = None
    ceiling_dbtp: float | None = Field(default=None, ge=-24, le=0)
    loudness: Loudness | None = None
    band_limit: bool = False
    tail: Tail = "none"
    tags: bool = True
    files: Literal["songs", "gapless", "whole"] = "songs"
    naming: str = Field(default="{number:02} {title}", min_length=1, max_length=200)

    @model_validator(mode="after")
    def _fits(self) -> Spec:
        if self.container in LOSSY and self.bits is not None:
            raise ValueError(f"bits {self.bits!r} with {self.container}, which is lossy; give kbit_s instead")
        if self.container not in LOSSY and self.kbit_s is not None:
            raise ValueError(f"kbit_s {self.kbit_s} with {self.container}, which is not lossy; give bits instead")
        if self.container in ("flac", "aiff") and self.bits == "32f":
            raise ValueError(f"bits '32f' with {self.container}; 16 or 24 are allowed there")
        if re.search(r"[{}]", NAMED.sub("", self.naming)):
            known = "{number}, {number:02}, {title}, {record}, {artist}"
            raise ValueError(f"naming {self.naming!r} cannot be filled in; allowed: {known}")
        return self


def parse_spec(document: Any) -> Spec:
    """Read a spec.

    Raises:
        SpecError: with the JSON path, the value and what is allowed.
    """
    return read_as(Spec, document, SpecError)


def load_spec(path: Path) -> Spec:
    """Read a spec from a JSON file."""
    return parse_spec(read_document(path, "spec", SpecError))


if __name__ == "__main__":
    sys.stdout.write(json.dumps(Spec.model_json_schema(), indent=2, ensure_ascii=False) + "\n")
