"""Every route with ids, arguments and bodies of the wrong kind: refused in words, never by a fault of the server."""

from __future__ import annotations

import json
from pathlib import Path

import numpy as np
import orjson
from flask.testing import FlaskClient
from werkzeug.routing import Rule

from tests.attack.hostile import VALUES, spoiled
from tests.attack.row import Row
from tests.conftest import music, recipe_of, write_wav
from tin_kettle.core.recipe.reading import dump_recipe
from tin_kettle.store.database import Library
from tin_kettle.web.app import create_app

RECIPE = dump_recipe(recipe_of({"id": "t", "kind": "trim"}))
IDS = ("1", "0", "2", "99", "-1", str(2**53 - 1), str(2**63), "9" * 400, "x", "%00", "%ff", "..", "1.5", "a%2Fb", "t")
ARGUMENTS = (
    "", "from=x", "from=-1&to=0", "to=1e9", f"from={2**70}", "columns=0", "columns=x", "columns=99999999", "other=",
    "other=reference:01", "other=version:²", "other=without:", "other=edit:1", "rate=0", "rate=x", "before=x",
    f"before={2**53}", "format=csv", "bus=zzz", "name=%00", "name=" + "n" * 3000, "from=20&to=10", "key=%ff",
)  # fmt: skip
BODIES = (
    {"title": "x", "sha256": "0" * 64}, {"base": 1, "label": "x", "recipe": RECIPE}, {"name": "x", "edit": 1},
    {"name": "x", "recipe": RECIPE}, {"rounds": 10},
    {"kind": "abx", "first": "a", "second": "b", "rounds": 9, "hits": 9},
    {"start_frame": 0, "end_frame": 40000}, {"before": RECIPE, "after": RECIPE},
    {"name": "x", "stage": RECIPE["master"][0]},
    {"format": "wav", "bits": "24", "part": "mix"}, {"sources": [{"sha256": "0" * 64, "name": "x"}]}, RECIPE,
)  # fmt: skip
RAW = (b"", b"{", b"NaN", b'{"a":NaN}', b"[" * 50000, b"\xff\xfe", b'{"base":' + b"9" * 5000 + b"}", b'{"a":"\\ud800"}')


def attack(folder: Path, tries: int) -> Row:
    rng = np.random.default_rng(14)
    app = create_app(Library(folder / "routes"))
    app.testing = False
    client = app.test_client()
    source = client.post("/api/sources?name=a.wav", data=write_wav(folder / "a.wav", music(1.0) * 0.5).read_bytes())
    client.post("/api/songs", json={"title": "Low Bridge", "sha256": source.get_json()["sha256"]})
    rules = [rule for rule in app.url_map.iter_rules() if rule.rule.startswith("/api") and not rule.websocket]
    calls, harm = 0, []
    for number in range(tries):
        rule = rules[number % len(rules)]
        calls += 1
        harm += _call(client, rng, rule)
    # what was put in is still a document
    for path in ("/api/songs", "/api/songs/1", "/api/songs/1/versions", "/api/chains", "/api/starts"):
        answer = client.get(path)
        if answer.status_code != 200 or not _is_json(answer.data):
            harm.append(f"{path} is no document any more")
    stop_all(app)
    found = f"{len(harm)} answered by a fault or without words"
    return Row("Wrong types and ids", f"{calls} calls of {len(rules)} routes", found, tuple(harm))


def _call(client: FlaskClient, rng: np.random.Generator, rule: Rule) -> list[str]:
    path = rule.rule
    for argument in rule.arguments:
        for form in (f"<int:{argument}>", f"<{argument}>", f"<path:{argument}>"):
            # mostly what is there, or nothing behind the door is ever reached
            path = path.replace(form, "1" if rng.random() < 0.6 else IDS[rng.integers(len(IDS))])
    methods = sorted((rule.methods or set()) - {"HEAD", "OPTIONS"})
    method = methods[rng.integers(len(methods))]
    if rng.random() < 0.15:
        body = RAW[rng.integers(len(RAW))]
    elif rng.random() < 0.2:
        body = json.dumps(VALUES[rng.integers(len(VALUES))]).encode()
    else:
        sensible = BODIES[rng.integers(len(BODIES))]
        body = json.dumps(sensible if rng.random() < 0.3 else spoiled(rng, sensible)).encode()
    query = ARGUMENTS[rng.integers(len(ARGUMENTS))]
    headers = {"Origin": "http://["} if rng.random() < 0.03 else {}
    try:
        answer = client.open(f"{path}?{query}", method=method, data=body, headers=headers)
    except Exception as fault:  # noqa: BLE001  this is what is looked for
        return [f"{method} {path}?{query}: {type(fault).__name__}"]
    if answer.status_code >= 500:
        return [f"{method} {path}?{query} {body[:80]!r}: {answer.status_code}"]
    if answer.status_code >= 400 and not _is_json(answer.data):
        return [f"{method} {path}?{query}: refused without words"]
    return []


def _is_json(data: bytes) -> bool:
    try:
        orjson.loads(data)
    except orjson.JSONDecodeError:
        return False
    return True


def stop_all(app: object) -> None:
    """End the workers that calls have begun."""
    jobs = app.extensions["tin_kettle"].jobs  # type: ignore[attr-defined]
    for runner in jobs._runners.values():
        if runner._process is not None:
            runner._process.kill()
