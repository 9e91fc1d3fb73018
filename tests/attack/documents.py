"""Spoiled recipes: read, or refused by our own errors; messages stay short and can be written."""

from __future__ import annotations

import json
import time
from pathlib import Path

import numpy as np

from tests.attack.hostile import spoiled
from tests.attack.row import Row
from tests.random_recipes import draw_recipe
from tin_kettle.core.errors import LONGEST, KettleError
from tin_kettle.core.recipe.reading import dump_recipe, load_recipe, parse_recipe

SLOWEST_S = 1.0
FORMAT = '"format":"tin-kettle-recipe","version":1'
MANY = [{"id": f"b{i}"} for i in range(20000)]
NESTED = [{"id": f"g{i}", "group": f"g{i + 1}"} for i in range(1100)]
WHOLE = {
    "deep": "[" * 200000,
    "deep objects": '{"a":' * 100000,
    "many digits": f'{{{FORMAT},"master":[{{"id":"t","kind":"trim","mix":{"9" * 5000}}}]}}',
    "long exponent": f'{{{FORMAT},"master":[{{"id":"t","kind":"trim","mix":1e{"9" * 5000}}}]}}',
    "no number": f'{{{FORMAT},"master":[{{"id":"t","kind":"trim","mix":NaN}}]}}',
    "endless": f'{{{FORMAT},"master":[{{"id":"t","kind":"trim","mix":-Infinity}}]}}',
    "half a letter": f'{{{FORMAT},"master":[{{"id":"\\ud800","kind":"\\udfff"}}]}}',
    "20000 buses": f'{{{FORMAT},"buses":{json.dumps(MANY)}}}',
    "1100 nested groups": f'{{{FORMAT},"groups":{json.dumps(NESTED)}}}',
}  # fmt: skip


def attack(folder: Path, tries: int) -> Row:
    rng = np.random.default_rng(11)
    harm: list[str] = []
    refused, slowest_s = 0, 0.0
    path = folder / "attack.kettle.json"

    def look(text: str, name: str) -> None:
        nonlocal refused, slowest_s
        path.write_text(text, encoding="utf-8", errors="surrogatepass")
        began = time.thread_time()
        try:
            load_recipe(path)
        except KettleError as told:
            refused += 1
            if len(str(told)) > LONGEST or "\n" in str(told):
                harm.append(f"{name}: a message of {len(str(told))} characters")
            str(told).encode()
        except Exception as fault:  # noqa: BLE001  this is what is looked for
            harm.append(f"{name}: {type(fault).__name__}")
        slowest_s = max(slowest_s, time.thread_time() - began)

    for number in range(tries):
        if number % 20 == 0:
            sound = dump_recipe(draw_recipe(number))
        look(json.dumps(spoiled(rng, sound)), f"recipe {number}")
    for name, text in WHOLE.items():
        look(text, name)
    # what is refused must not cost more than what is read
    if slowest_s > SLOWEST_S:
        harm.append(f"the slowest took {slowest_s:.2f} s")
    assert parse_recipe(sound)
    return Row(
        "Spoiled recipes", f"{tries + len(WHOLE)}", f"{refused} refused in one line, the others read", tuple(harm)
    )
