"""Filling a library with the demo record, once: the first song before the bench opens, the others beside it."""

from __future__ import annotations

import os
import subprocess
import sys
import threading
import uuid
from collections.abc import Callable, Sequence
from pathlib import Path

import numpy as np
import soundfile
from numpy.typing import NDArray

from tin_kettle.core.deliver.dither import Quantiser
from tin_kettle.core.low_priority import take_what_is_left
from tin_kettle.store.background_import import telling
from tin_kettle.store.comparisons import add_reference, list_references, try_version
from tin_kettle.store.database import Library
from tin_kettle.store.songs import add_song, list_songs
from tin_kettle.store.sources import StoredSource, keep_source, receive

RECORD, ARTIST = "Slack Water", "Ferry Ticket Ensemble"


def fill_first(library: Library, say: Callable[[str], None]) -> None:
    """Synthesise the song that the demo opens with, unless it is there."""
    _fill(library, ("Low Bridge",), say)


def fill_rest(library: Library, say: Callable[[str], None]) -> None:
    """Synthesise the reference and the other songs, unless they are there, each to be opened as soon as it is made."""
    from tin_kettle.demo import tide_table  # noqa: PLC0415  only the first start needs it

    if not any(reference.name == "Tide Table" for reference in list_references(library)):
        say("Tide Table is being made, the reference of the demo record")
        add_reference(library, _keep(library, tide_table.tide_table(), "Tide Table"), "Tide Table")
    _fill(library, tuple(_SONGS), say)


def fill_demo(library: Library, say: Callable[[str], None]) -> None:
    """The whole record at once."""
    fill_first(library, say)
    fill_rest(library, say)


def fill_beside(library: Library) -> subprocess.Popen[bytes] | None:
    """Let another process synthesise the rest in what time is left over; the bench tells what it is at.

    It ends with whoever holds what is returned; None where nothing is missing.
    """
    if all(title in _titles(library) for title in _SONGS):
        return None
    return subprocess.Popen([sys.executable, "-m", "tin_kettle.demo.library", str(library.home)], stdin=subprocess.PIPE)


def _end_with_starter() -> None:
    """A session of its own has no terminal that could stop it: it ends where nobody holds its input any more."""

    def wait() -> None:
        sys.stdin.read()
        os._exit(1)

    threading.Thread(target=wait, daemon=True).start()


def _titles(library: Library) -> set[str]:
    return {song.title for song in list_songs(library) if song.record == RECORD}


def _fill(library: Library, wanted: Sequence[str], say: Callable[[str], None]) -> None:
    there = _titles(library)
    for place, title in enumerate(_SONGS, 1):
        if title in wanted and title not in there:
            say(f"{title} is being made, song {place} of {len(_SONGS)} of the demo record")
            _SONGS[title](library, place)


def _low_bridge(library: Library, place: int) -> None:
    from tin_kettle.demo import low_bridge  # noqa: PLC0415

    mix = _keep(library, low_bridge.low_bridge(), "Low Bridge")
    recipe = low_bridge.low_bridge_recipe()
    song = add_song(library, RECORD, "Low Bridge", {"mix": mix}, recipe, artist=ARTIST, place=place)
    try_version(library, song, low_bridge.small_moves(), "Small moves")
    try_version(library, song, low_bridge.by_frequency(), "By frequency")
    try_version(library, song, low_bridge.by_section(), "By section")


def _slack_water(library: Library, place: int) -> None:
    from tin_kettle.demo.slack_water import slack_water, slack_water_recipe  # noqa: PLC0415

    mix = _keep(library, slack_water(), "Slack Water")
    add_song(library, RECORD, "Slack Water", {"mix": mix}, slack_water_recipe(), artist=ARTIST, place=place)


def _last_crossing(library: Library, place: int) -> None:
    from tin_kettle.demo.last_crossing import last_crossing, last_crossing_recipe  # noqa: PLC0415

    mix = _keep(library, last_crossing(), "Last Crossing")
    add_song(library, RECORD, "Last Crossing", {"mix": mix}, last_crossing_recipe(), artist=ARTIST, place=place)


def _pilot_light(library: Library, place: int) -> None:
    from tin_kettle.demo import pilot_light  # noqa: PLC0415

    made = pilot_light.pilot_light()
    buses = {bus_id: _keep(library, samples, f"Pilot Light {bus_id}") for bus_id, samples in made.items()}
    recipe = pilot_light.pilot_light_recipe()
    song = add_song(library, RECORD, "Pilot Light", buses, recipe, artist=ARTIST, place=place)
    try_version(library, song, pilot_light.in_colour(), "In colour")


_SONGS: dict[str, Callable[[Library, int], None]] = {
    "Low Bridge": _low_bridge,
    "Slack Water": _slack_water,
    "Last Crossing": _last_crossing,
    "Pilot Light": _pilot_light,
}
"""In the order of the record. Only the first start loads the instruments and what they need."""


def _keep(library: Library, samples: NDArray[np.float64], name: str) -> StoredSource:
    """Samples as a 24-bit file of the library."""
    from tin_kettle.demo.instruments import RATE_HZ  # noqa: PLC0415

    steps = Quantiser(24, "tpdf").quantise(np.ascontiguousarray(samples))
    path = library.folder("incoming") / f"{uuid.uuid4().hex}.part"
    soundfile.write(str(path), (steps << 8).T, RATE_HZ, subtype="PCM_24", format="WAV")
    with path.open("rb") as file:
        copy, sha256 = receive(library, iter(lambda: file.read(1 << 20), b""))
    path.unlink()
    return keep_source(library, copy, sha256, f"{name}.wav")


if __name__ == "__main__":
    take_what_is_left()
    _end_with_starter()
    filled = Library(Path(sys.argv[1]))
    with telling(filled) as tell:
        tell("the rest of the demo record is being made")
        fill_rest(filled, tell)
