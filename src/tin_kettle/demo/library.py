"""Filling a library with the demo record, once."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
import soundfile

from tin_kettle.core.deliver.dither import Quantiser
from tin_kettle.store.database import Library
from tin_kettle.store.songs import add_song, list_songs
from tin_kettle.store.sources import keep_source, receive

RECORD, ARTIST = "Slack Water", "Ferry Ticket Ensemble"


def fill_demo(library: Library, say: Callable[[str], None]) -> None:
    """Synthesise *Low Bridge* and put it on the record *Slack Water*, unless it is there."""
    if any(song.record == RECORD for song in list_songs(library)):
        return
    say("Synthesising Low Bridge, the demo song (some seconds, this once)")
    # only the first start needs the instruments and what they load
    from tin_kettle.demo.instruments import RATE_HZ  # noqa: PLC0415
    from tin_kettle.demo.low_bridge import low_bridge, low_bridge_recipe  # noqa: PLC0415

    steps = Quantiser(24, "tpdf").quantise(np.ascontiguousarray(low_bridge()))
    path = library.folder("incoming") / "low-bridge.wav"
    soundfile.write(str(path), (steps << 8).T, RATE_HZ, subtype="PCM_24")
    with path.open("rb") as file:
        copy, sha256 = receive(library, iter(lambda: file.read(1 << 20), b""))
    path.unlink()
    source = keep_source(library, copy, sha256, "Low Bridge.wav")
    add_song(library, RECORD, "Low Bridge", {"mix": source}, low_bridge_recipe(), artist=ARTIST, place=1)
