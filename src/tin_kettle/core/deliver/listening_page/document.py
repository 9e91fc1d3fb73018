"""What a listening page is made from; run as a module, it prints the schema."""

from __future__ import annotations

import json
import sys
from pathlib import Path
from typing import Literal

from pydantic import BaseModel, ConfigDict, Field, model_validator

from tin_kettle.core.errors import PageError
from tin_kettle.core.recipe.reading import read_as, read_document

Coding = Literal["flac", "flac16", "opus"]
MOST_SONGS, MOST_TAKES = 99, 9
"""A key each for the takes of a song."""


class _Part(BaseModel):
    model_config = ConfigDict(extra="forbid", strict=True, frozen=True, allow_inf_nan=False)


class PageSection(_Part):
    """Where a named part of a song begins, in seconds."""

    name: str = Field(min_length=1, max_length=120)
    at_s: float = Field(ge=0)


class PageTake(_Part):
    """One state of a song: a file, through a recipe where there is one. Paths are relative to the document."""

    name: str = Field(min_length=1, max_length=120)
    file: str = Field(min_length=1)
    recipe: str | None = None


class PageSong(_Part):
    """A song and its takes, the first of them shown above the others."""

    title: str = Field(min_length=1, max_length=200)
    sections: tuple[PageSection, ...] = Field(default=(), max_length=1000, strict=False)
    takes: tuple[PageTake, ...] = Field(min_length=1, max_length=MOST_TAKES, strict=False)

    @model_validator(mode="after")
    def _names_differ(self) -> PageSong:
        names = [take.name for take in self.takes]
        twins = {name for name in names if names.count(name) > 1}
        if twins:
            raise ValueError(f"two takes of '{self.title}' are called '{min(twins)}'; each needs a name of its own")
        return self


class Page(_Part):
    """The document.

    Args:
        match: whether all takes of a song play at the loudness of the quietest.
        blind: whether their names are hidden until one is chosen.
        coding: of the sound in the page.
    """

    model_config = ConfigDict(title="Tin Kettle listening page")

    format: Literal["tin-kettle-page"]
    version: Literal[1]
    title: str = Field(min_length=1, max_length=200)
    artist: str = Field(default="", max_length=200)
    message: str = Field(default="", max_length=4000)
    match: bool = True
    blind: bool = False
    coding: Coding = "flac"
    songs: tuple[PageSong, ...] = Field(min_length=1, max_length=MOST_SONGS, strict=False)


def load_page(path: Path) -> Page:
    """Read a page's document.

    Raises:
        PageError: it cannot be read, is no JSON, or is refused; the JSON path is in the message.
    """
    return read_as(Page, read_document(path, "page", PageError), PageError)


if __name__ == "__main__":
    sys.stdout.write(json.dumps(Page.model_json_schema(), indent=2, ensure_ascii=False) + "\n")
