"""A server and its workers that are killed: what was acknowledged is there, and what was begun is done."""

from __future__ import annotations

import contextlib
import json
import threading
import time
import urllib.error
from http.client import HTTPException
from pathlib import Path

import numpy as np

from tests.attack.processes import kill_answering, kill_workers
from tests.attack.row import Row
from tests.browser.driving import Server
from tests.conftest import PATIENCE_S, music, recipe_of, write_wav
from tin_kettle.core.recipe.reading import dump_recipe

GONE = (urllib.error.URLError, HTTPException, ConnectionError, TimeoutError, json.JSONDecodeError)


def gain(steps: int) -> dict[str, object]:
    return dump_recipe(recipe_of({"id": "t", "kind": "trim", "params": {"gain_db": steps / 1000}}))


def servers(folder: Path, rounds: int) -> Row:
    """Save as fast as the answers come, kill, start again, compare."""
    rng = np.random.default_rng(15)
    server = Server(folder / "kills")
    song = server.add_song(write_wav(folder / "k.wav", music(2.0) * 0.5), "Low Bridge")
    lost = kept = count = 0
    for _ in range(rounds):
        acknowledged = [count]

        def save(acknowledged: list[int] = acknowledged) -> None:
            with contextlib.suppress(*GONE):
                while True:
                    number = acknowledged[-1] + 1
                    server.save(song, gain(number))
                    acknowledged.append(number)

        saver = threading.Thread(target=save)
        saver.start()
        time.sleep(rng.uniform(0.2, 0.6))
        server.kill()
        saver.join()
        server.start()
        there = round(server.ask(f"/api/songs/{song}")["revision"]["recipe"]["master"][0]["params"]["gain_db"] * 1000)
        lost += max(0, acknowledged[-1] - there)
        kept += len(acknowledged) - 1
        count = max(there, acknowledged[-1])
    server.stop()
    harm = (f"{lost} acknowledged edits were lost",) if lost else ()
    return Row(
        "Server killed while edits are saved",
        f"{rounds} kills",
        f"{kept} acknowledged edits, {lost} of them lost",
        harm,
    )


def workers(folder: Path, rounds: int) -> Row:
    """Print, kill whatever works for it, and begin another at once."""
    rng = np.random.default_rng(16)
    server = Server(folder / "workers")
    song = server.add_song(write_wav(folder / "w.wav", music(15.0) * 0.5), "Low Bridge")
    server.save(song, dump_recipe(recipe_of({"kind": "compressor"}, {"kind": "limiter"})))
    harm: list[str] = []
    prints = killed = 0
    for _ in range(rounds):
        begun = [server.ask(f"/api/songs/{song}/prints", {})["id"]]
        time.sleep(rng.uniform(0.0, 0.8))
        killed += kill_workers(server)
        begun.append(server.ask(f"/api/songs/{song}/prints", {})["id"])
        for number in begun:
            prints += 1
            state = _settled(server, number)
            if state != "done":
                harm.append(f"a print ended as {state}")
    server.ask(f"/api/songs/{song}/survey")
    kill_workers(server)
    end = time.monotonic() + PATIENCE_S
    while server.ask(f"/api/songs/{song}/survey")["state"] != "done":
        if time.monotonic() > end:
            harm.append("the survey never came")
            break
        time.sleep(0.1)
    server.stop()
    return Row("Workers killed", f"{killed} kills", f"{prints} prints and a survey, {len(harm)} not done", tuple(harm))


def answering(folder: Path, rounds: int) -> Row:
    """Print, and kill the process that answers alone: its parent begins another, which knows nothing of the print."""
    server = Server(folder / "answering")
    song = server.add_song(write_wav(folder / "a.wav", music(15.0) * 0.5), "Low Bridge")
    server.save(song, dump_recipe(recipe_of({"kind": "compressor"}, {"kind": "limiter"})))
    harm: list[str] = []
    for _ in range(rounds):
        begun = server.ask(f"/api/songs/{song}/prints", {})["id"]
        kill_answering(server)
        _answers(server)
        state = _settled(server, begun)
        if state not in ("done", "stopped"):
            harm.append(f"a print ended as {state}")
        again = _settled(server, server.ask(f"/api/songs/{song}/prints", {})["id"])
        if again != "done":
            harm.append(f"a print that was begun after it ended as {again}")
    server.stop()
    return Row("Answering process killed", f"{rounds} kills", f"{2 * rounds} prints, {len(harm)} for ever", tuple(harm))


def _answers(server: Server) -> None:
    end = time.monotonic() + PATIENCE_S
    while time.monotonic() < end:
        with contextlib.suppress(*GONE):
            server.ask("/api/songs")
            return
        time.sleep(0.05)


def _settled(server: Server, number: int) -> str:
    end = time.monotonic() + PATIENCE_S
    while time.monotonic() < end:
        row = server.ask(f"/api/prints/{number}")
        if row["state"] != "running":
            return f"{row['state']} ({row['problem']})" if row["problem"] else str(row["state"])
        time.sleep(0.05)
    return "never"
