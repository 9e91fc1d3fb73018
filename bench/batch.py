"""Jobs a second with one worker and with two."""

from __future__ import annotations

import json
import subprocess
import sys
from pathlib import Path

import numpy as np
import soundfile

SECONDS, JOBS = 60, 12
RATE_HZ = 48000
MASTER = [
    {"id": "clean", "kind": "filter", "params": {"high_pass_on": True}},
    {"id": "hold", "kind": "compressor"},
    {"id": "warm", "kind": "saturator", "params": {"drive_db": 4}},
    {"id": "top", "kind": "limiter", "params": {"gain_db": 6}},
]


def _seconds(folder: Path, workers: int) -> float:
    render = {"do": "render", "source": "song.wav", "recipe": "r.kettle.json"}
    jobs = [{**render, "id": str(n), "seed": n, "out": f"{workers}/{n}.wav"} for n in range(JOBS)]
    path = folder / f"{workers}.json"
    path.write_text(json.dumps({"format": "tin-kettle-jobs", "version": 1, "jobs": jobs}))
    line = [sys.executable, "-m", "tin_kettle", "batch", str(path), "--workers", str(workers), "--json"]
    told = json.loads(subprocess.run(line, check=True, capture_output=True).stdout)
    return float(told["seconds"])


def rows(folder: Path) -> list[tuple[str, str, str]]:
    """What is measured, the figure, the goal."""
    noise = 0.1 * np.random.default_rng(1).standard_normal((SECONDS * RATE_HZ, 2))
    soundfile.write(folder / "song.wav", noise, RATE_HZ, subtype="PCM_24")
    recipe = {"format": "tin-kettle-recipe", "version": 1, "master": MASTER}
    (folder / "r.kettle.json").write_text(json.dumps(recipe))
    one, two = _seconds(folder, 1), _seconds(folder, 2)
    return [
        (
            f"{JOBS} renders of {SECONDS} s, two workers against one, the start of the workers counted",
            f"{one / two:.2f} ×",
            "1.8 ×",
        )
    ]
