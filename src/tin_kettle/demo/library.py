"""Filling a library with the demo record, once."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
import soundfile
from numpy.typing import NDArray

from tin_kettle.core.deliver.dither import Quantiser
from tin_kettle.store.comparing import add_reference, try_version
from tin_kettle.store.database import Library
from tin_kettle.store.songs import add_song, list_songs
from tin_kettle.store.sources import KeptSource, keep_source, receive

RECORD, ARTIST = "Slack Water", "Ferry Ticket Ensemble"


def fill_demo(library: Library, say: Callable[[str], None]) -> None:
    """Synthesise the songs of *Slack Water* and the reference *Tide Table*, unless they are there."""
    titles = {song.title for song in list_songs(library) if song.record == RECORD}
    if {"Low Bridge", "Pilot Light"} <= titles:
        return
    say("Synthesising the demo record (some seconds, this once)")
    # only the first start needs the instruments and what they load
    from tin_kettle.demo import low_bridge, pilot_light, tide_table  # noqa: PLC0415

    if "Low Bridge" not in titles:
        mix = _keep(library, low_bridge.low_bridge(), "Low Bridge")
        recipe = low_bridge.low_bridge_recipe()
        song = add_song(library, RECORD, "Low Bridge", {"mix": mix}, recipe, artist=ARTIST, place=1)
        try_version(library, song, low_bridge.small_moves(), "Small moves")
        try_version(library, song, low_bridge.by_frequency(), "By frequency")
        try_version(library, song, low_bridge.by_section(), "By section")
    if "Pilot Light" not in titles:
        buses = {
            bus_id: _keep(library, samples, f"Pilot Light {bus_id}")
            for bus_id, samples in pilot_light.pilot_light().items()
        }
        recipe = pilot_light.pilot_light_recipe()
        song = add_song(library, RECORD, "Pilot Light", buses, recipe, artist=ARTIST, place=4)
        try_version(library, song, pilot_light.in_colour(), "In colour")
    add_reference(library, _keep(library, tide_table.tide_table(), "Tide Table"), "Tide Table")


def _keep(library: Library, samples: NDArray[np.float64], name: str) -> KeptSource:
    """Samples as a 24-bit file of the library."""
    from tin_kettle.demo.instruments import RATE_HZ  # noqa: PLC0415

    steps = Quantiser(24, "tpdf").quantise(np.ascontiguousarray(samples))
    path = library.folder("incoming") / "synthesised.wav"
    soundfile.write(str(path), (steps << 8).T, RATE_HZ, subtype="PCM_24")
    with path.open("rb") as file:
        copy, sha256 = receive(library, iter(lambda: file.read(1 << 20), b""))
    path.unlink()
    return keep_source(library, copy, sha256, f"{name}.wav")
