"""What a song may be compared with, by name: ``received``, ``version:3``, ``edit:41``, ``without:stage``,
``eased:stage``, ``reference:2``,
``coded:mp3:128:…`` and ``added:mp3:128:…`` (the song as it was coded, by the name of its file).

``with:stage`` and ``before:stage`` are the song up to a stage, the stage on or off.
"""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass

import soundfile

from tin_kettle.core.errors import LibraryError
from tin_kettle.core.recipe.extract import eased, up_to
from tin_kettle.core.recipe.model import Recipe, empty_recipe
from tin_kettle.store.comparisons import Reference, get_reference, get_version, version_state
from tin_kettle.store.database import Library
from tin_kettle.store.derived import is_intact
from tin_kettle.store.history import is_edit
from tin_kettle.store.songs import revision_state
from tin_kettle.store.sources import StoredSource, song_sources

REFERENCE_BUS = "mix"
CHAIN = "*"
_CODED = re.compile(r"(coded|added):(opus|ogg|mp3):([1-9][0-9]{1,2}):([0-9a-f]{64})", re.ASCII)
_NUMBERED = re.compile(r"(reference|version|edit):([1-9][0-9]{0,15})", re.ASCII)


@dataclass(frozen=True)
class ComparisonSource:
    """A recipe on sources; ``reference`` where it is another record."""

    recipe: Recipe
    sources: Mapping[str, StoredSource]
    reference: Reference | None = None


def _coded(library: Library, name: str) -> StoredSource:
    """What was coded, which is kept no longer than room and restarts allow."""
    found = _CODED.fullmatch(name)
    path = library.folder("audio") / f"{found[4]}.wav" if found else None
    if path is None or found is None or not is_intact(path):
        raise LibraryError("what was coded is no longer there; make it again under Compare, Codec preview")
    about = soundfile.info(str(path))
    named = f"{found[2]} {found[3]} kbit/s"
    return StoredSource(found[4], ".wav", named, "WAV FLOAT", about.samplerate, about.channels, about.frames)


def drawn_from(name: str, now: Recipe) -> Recipe | None:
    """What is the song as it is now but for one thing, and follows every edit; None where a name is no such."""
    kind, _, rest = name.partition(":")
    if kind == "without" and rest:
        return now.without(None if rest == CHAIN else rest)
    if kind == "eased" and rest:
        return eased(now, rest)
    return None


def find_other(library: Library, song_id: int, name: str, now: Recipe) -> ComparisonSource:
    """What a name stands for, beside the song's present recipe.

    Raises:
        LibraryError: there is nothing of that name.
    """
    kind, _, rest = name.partition(":")
    # one spelling for each: whatever is kept by name is kept once
    numbered = _NUMBERED.fullmatch(name)
    if kind in ("reference", "version", "edit") and not numbered:
        raise LibraryError(f"'{name}' is nothing to compare with; choose from the list")
    if kind == "reference":
        found = get_reference(library, int(rest))
        return ComparisonSource(empty_recipe(), {REFERENCE_BUS: found.source}, found)
    sources = song_sources(library, song_id)
    if kind == "received":
        return ComparisonSource(now.as_received(), sources)
    if kind == "now":
        return ComparisonSource(now, sources)
    if kind == "version":
        version = get_version(library, int(rest))
        if version.song_id != song_id:
            raise LibraryError(f"version {rest} is of another song; choose one of this song's")
        return ComparisonSource(*version_state(library, version))
    if kind == "edit":
        if not is_edit(library, song_id, int(rest)):
            raise LibraryError(f"there is no edit {rest} of this song; choose one from the list")
        return ComparisonSource(*revision_state(library, int(rest)))
    if kind in ("with", "before") and rest:
        return ComparisonSource(up_to(now, rest, on=kind == "with"), sources)
    if kind in ("coded", "added"):
        return ComparisonSource(empty_recipe(), {REFERENCE_BUS: _coded(library, name)})
    following = drawn_from(name, now)
    if following is not None:
        return ComparisonSource(following, sources)
    raise LibraryError(f"'{name}' is nothing to compare with; choose from the list")
