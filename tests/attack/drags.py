"""A browser that is killed in the middle of a drag: how much of the drag is lost."""

from __future__ import annotations

import math
import os
import signal
import subprocess
import sys
import time
from contextlib import suppress
from pathlib import Path

import numpy as np

from tests.attack.processes import family
from tests.attack.row import Row
from tests.browser.driving import Server
from tests.conftest import music, recipe_of, write_wav
from tin_kettle.core.recipe.reading import dump_recipe

MOST_MS = 500.0
"""What saves twice a second alone would lose; the goal is 100, which a machine with nothing to spare may miss."""
NOTICED_S = 6.0
START_DB = -12.0


def browsers(
    folder: Path, rounds: int, most_ms: float | None = MOST_MS, drag_s: tuple[float, float] = (0.6, 1.6)
) -> Row:
    """Drag, kill, ask the server what it has or would offer of the drag.

    Args:
        most_ms: how much of the end of a drag may be lost; with None all but its beginning.
        drag_s: between how many seconds a drag lasts.
    """
    rng = np.random.default_rng(17)
    server = Server(folder / "drags")
    song = server.add_song(write_wav(folder / "d.wav", music(4.0) * 0.5), "Low Bridge")
    lost_ms = []
    for _ in range(rounds):
        server.save(song, dump_recipe(recipe_of({"id": "t", "kind": "trim", "params": {"gain_db": START_DB}})))
        lost_ms.append(_lost_ms(server, song, float(rng.uniform(*drag_s))))
    server.stop()
    harm = tuple(
        f"{lost:.0f} ms of a drag were lost"
        for lost in lost_ms
        if lost == math.inf or (most_ms is not None and lost > most_ms)
    )
    found = f"{np.median(lost_ms):.0f} ms of a drag lost (median), {max(lost_ms):.0f} at most"
    return Row("Browser killed in a drag", f"{rounds} kills", found, harm)


def _lost_ms(server: Server, song: int, seconds: float) -> float:
    command = [sys.executable, "-m", "tests.attack.dragging", f"{server.url}/songs/{song}"]
    shown: list[tuple[float, float]] = []
    with subprocess.Popen(command, stdout=subprocess.PIPE, text=True) as hand:
        assert hand.stdout is not None
        while not shown or shown[-1][0] - shown[0][0] < seconds:
            line = hand.stdout.readline().split()
            assert line, "the hand has stopped by itself"
            if float(line[1]) != START_DB:
                shown.append((float(line[0]), float(line[1])))
        for pid in reversed(family(hand.pid)):
            with suppress(ProcessLookupError):
                os.kill(pid, signal.SIGKILL)
        shown += [(float(at), float(value)) for at, value in (line.split() for line in hand.stdout if " " in line)]
    end = time.monotonic() + NOTICED_S
    while not (found := server.ask(f"/api/songs/{song}"))["left"] and time.monotonic() < end:
        time.sleep(0.1)
    recipes = [found["revision"]["recipe"], *([found["left"]["recipe"]] if found["left"] else [])]
    kept = {recipe["master"][0]["params"]["gain_db"] for recipe in recipes}
    last_s = max((at for at, value in shown if value in kept), default=-math.inf)
    return 1000.0 * (shown[-1][0] - last_s)
