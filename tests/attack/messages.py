"""Hostile messages to a session that plays: told in words, and the sound goes on."""

from __future__ import annotations

import json
import threading
import time

import numpy as np

from tests.attack.hostile import VALUES, spoiled
from tests.attack.row import Row
from tests.conftest import PATIENCE_S, RATE_HZ, recipe_of, tone
from tin_kettle.core.engine.live.audition import Audition
from tin_kettle.core.engine.source import ArraySource
from tin_kettle.core.recipe.reading import dump_recipe
from tin_kettle.web.session import Session

LISTENING = {"fold": "stereo", "range": "all", "place": "studio", "solo": [], "muted": []}
RECIPE = dump_recipe(recipe_of({"id": "t", "kind": "trim"}))
SENSIBLE = (
    {"type": "credit", "epoch": 0, "position": 2000, "heard": 0},
    {"type": "edit", "recipe": RECIPE, "revision": 1, "heard": 0},
    {
        "type": "change",
        "changes": [{"path": ["master", 0, "params", "gain_db"], "value": 3.0}],
        "revision": 2,
        "heard": 0,
    },
    {"type": "seek", "song": 100},
    {"type": "loop", "loop": [0, 20000], "heard": 0},
    {"type": "tap", "stage": "t", "tap": "removed", "heard": 0},
    {"type": "choose", "stage": "t"},
    {"type": "compare", "other": "version:1", "heard": 0},
    {"type": "hand", "others": ["version:1", "reference:1"]},
    {"type": "gains", "gains_db": {"received": -3.0}},
    {"type": "listen", "listening": LISTENING, "lufs": [None, -12.0], "heard": 0},
)
RAW = (
    "", "{", "null", "[]", "7", '"type"', '{"type":"seek","song":Infinity}', '{"type":"seek","song":NaN}',
    "[" * 100000, '{"type":"credit"}', '{"type":"loop","loop":[1]}', '{"type":"gains","gains_db":[]}',
    '{"type":"edit","recipe":{},"revision":-1}', '{"type":[]}', "\x00",
    '{"type":"credit","epoch":0,"position":' + "9" * 5000 + "}",
    '{"type":"credit","epoch":0,"position":3000,"heard":10000000000000}',
    '{"type":"seek","song":"' + "x" * (1 << 23) + '"}',
)  # fmt: skip


def attack(tries: int) -> Row:
    rng = np.random.default_rng(13)
    blocks, texts = [], []

    def take(data: bytes | str) -> None:
        (texts if isinstance(data, str) else blocks).append(data)

    audition = Audition(recipe_of(), {"mix": ArraySource(tone(1000, -12, 20), RATE_HZ)})
    session = Session(audition, take)
    renderer = threading.Thread(target=session.run)
    renderer.start()
    harm: list[str] = []
    said = [*RAW]
    for number in range(tries):
        message = spoiled(rng, SENSIBLE[number % len(SENSIBLE)])
        if number % 7 == 0:
            message = {**SENSIBLE[number % len(SENSIBLE)], "type": VALUES[number % len(VALUES)]}
        said.append(json.dumps(message))
    for number, text in enumerate(said):
        try:
            session.hear(text)
        except Exception as fault:  # noqa: BLE001  this is what is looked for
            harm.append(f"message {number}: {type(fault).__name__}")
        if number % 10 == 9 and not _plays(session, audition, blocks):
            harm.append(f"silent after message {number}: {text[:60]}")
            break
    session.close()
    renderer.join(PATIENCE_S)
    if any(len(text) > 1000 and "problem" in text[:40] for text in texts):
        harm.append("a problem was told at length")
    return Row(
        "Hostile messages",
        f"{len(said)}",
        f"{len(harm)} faults; sound was asked for, and heard, after every tenth",
        tuple(harm),
    )


def _plays(session: Session, audition: Audition, blocks: list[bytes]) -> bool:
    """Whether a listener that asks for sound gets it."""
    session.hear(json.dumps({"type": "seek", "song": 0}))
    # the first block may have to wait for kernels to load, in what time others leave
    before, end = len(blocks), time.monotonic() + PATIENCE_S
    while len(blocks) <= before and time.monotonic() < end:
        position = max(audition.position, 0) + 4000
        session.hear(json.dumps({"type": "credit", "epoch": audition.epoch, "position": position, "heard": 0}))
        time.sleep(0.01)
    blocks[:-1] = []
    return bool(blocks)
