"""What a song may be compared with, by name: ``received``, ``version:3``, ``without:stage``, ``reference:2``.

``with:stage`` and ``before:stage`` are the song up to a stage, the stage on or off.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from pathlib import Path

import numpy as np
import soundfile

from tin_kettle.core.deliver.convert import convert_rate
from tin_kettle.core.engine.road import plain_recipe
from tin_kettle.core.engine.source import FileSource
from tin_kettle.core.errors import LibraryError
from tin_kettle.core.recipe.model import Recipe, empty_recipe
from tin_kettle.core.recipe.parts import up_to
from tin_kettle.core.recipe.reading import dump_recipe, parse_recipe
from tin_kettle.store.comparing import Reference, get_reference, version_recipe
from tin_kettle.store.database import Library
from tin_kettle.store.sources import KeptSource, song_sources, source_path

REFERENCE_BUS = "mix"
CHAIN = "*"


@dataclass(frozen=True)
class Other:
    """A recipe on sources; ``reference`` where it is another record."""

    recipe: Recipe
    sources: Mapping[str, KeptSource]
    reference: Reference | None = None


def find_other(library: Library, song_id: int, name: str, now: Recipe) -> Other:
    """What a name stands for, beside the song's present recipe.

    Raises:
        LibraryError: there is nothing of that name.
    """
    kind, _, rest = name.partition(":")
    if kind == "reference" and rest.isdigit():
        found = get_reference(library, int(rest))
        return Other(empty_recipe(), {REFERENCE_BUS: found.source}, found)
    sources = song_sources(library, song_id)
    if kind == "received":
        return Other(plain_recipe(now), sources)
    if kind == "now":
        return Other(now, sources)
    if kind == "version" and rest.isdigit():
        return Other(version_recipe(library, int(rest)), sources)
    if kind in ("with", "before") and rest:
        return Other(up_to(now, rest, on=kind == "with"), sources)
    if kind == "without" and rest:
        return Other(without(now, rest), sources)
    raise LibraryError(f"'{name}' is nothing to compare with; choose from the list")


def without(recipe: Recipe, stage_id: str) -> Recipe:
    """The recipe with one stage off, or with all of them."""
    document = dump_recipe(recipe)
    for chain in (document["master"], *(bus["chain"] for bus in (*document["buses"], *document["groups"]))):
        for stage in chain:
            if stage_id in (stage["id"], CHAIN):
                stage["on"] = False
    return parse_recipe(document)


def open_at_rate(library: Library, source: KeptSource, rate_hz: int) -> FileSource:
    """A source at a rate; one that has another is converted once and kept."""
    path = source_path(library, source)
    if source.rate_hz == rate_hz:
        return FileSource(path)
    made = library.folder("audio") / f"{source.sha256}-{rate_hz}.wav"
    if not made.is_file():
        _convert(path, made, rate_hz)
    return FileSource(made)


def _convert(path: Path, made: Path, rate_hz: int) -> None:
    given = FileSource(path)
    beside = made.with_suffix(".part")
    steps = range(0, given.frames, 65536)
    blocks = (given.read(at, min(65536, given.frames - at)) for at in steps)
    with soundfile.SoundFile(str(beside), "w", rate_hz, 2, subtype="FLOAT", format="WAV") as file:
        for block in convert_rate(blocks, given.frames, given.rate_hz, rate_hz):
            file.write(np.ascontiguousarray(block.T))
    given.close()
    beside.replace(made)
