"""Long play with an edit every fifth of a second: nobody falls silent, and memory and open files do not grow."""

from __future__ import annotations

import itertools
import time
from pathlib import Path

from tests.attack.connections import Listener
from tests.attack.processes import memory_mb, open_files
from tests.attack.row import Row
from tests.browser.driving import Server
from tests.conftest import music, recipe_of, write_wav
from tin_kettle.core.recipe.reading import dump_recipe

EVERY_S = 0.2
SETTLED_SHARE = 0.25
"""Of the time until what is to be filled is full: moments at hand, kernels, the pool of connections."""
MOST_GROWN_MB = 60.0
MOST_FILES = 8


def edits(folder: Path, seconds: float, patience_s: float = 0.2) -> Row:
    """Args: patience_s: for how long a busy machine may be silent."""
    server = Server(folder / "playing")
    song = server.add_song(write_wav(folder / "p.wav", music(60.0) * 0.5), "Low Bridge")
    server.save(song, _chain(0))
    listener = Listener(server, song)
    began, before = time.monotonic(), (0.0, 0)
    for number in itertools.count(1):
        due = number * EVERY_S
        time.sleep(max(0.0, began + due - time.monotonic()))
        listener.edit(_chain(number), number)
        server.save(song, _chain(number))
        if before[1] == 0 and due > SETTLED_SHARE * seconds:
            before = memory_mb(server), open_files(server)
        if due >= seconds:
            break
    after = memory_mb(server), open_files(server)
    silent_s = listener.stop()
    server.stop()
    harm = []
    if silent_s > patience_s:
        harm.append(f"silent for {silent_s:.2f} s")
    if after[0] - before[0] > MOST_GROWN_MB:
        harm.append(f"memory grew from {before[0]:.0f} to {after[0]:.0f} MB")
    if after[1] - before[1] > MOST_FILES:
        harm.append(f"open files grew from {before[1]} to {after[1]}")
    found = (
        f"silent {silent_s:.2f} s, files {before[1]} → {after[1]}, memory {before[0]:.0f} → {after[0]:.0f} MB "
        "(from a quarter of the time on)"
    )
    return Row("Play with edits", f"{seconds:.0f} s, {number} edits", found, tuple(harm))


def _chain(number: int) -> dict[str, object]:
    return dump_recipe(
        recipe_of(
            {"id": "t", "kind": "trim", "params": {"gain_db": number % 120 / 20}},
            {"id": "e", "kind": "equalizer", "params": {"phase": "linear" if number // 50 % 2 else "minimum"}},
            {"id": "c", "kind": "compressor", "params": {"threshold_db": -20 - number % 7}},
            {"id": "l", "kind": "limiter"},
        )
    )
