"""A record: how fast it opens, what delivering costs over printing, what trials and measuring take."""

from __future__ import annotations

import json
import time
from pathlib import Path

import numpy as np
import soundfile
from numpy.typing import NDArray

from tin_kettle import library
from tin_kettle.core.deliver.delivery import deliver
from tin_kettle.core.deliver.printing import PrintSettings, print_song
from tin_kettle.core.deliver.spec import parse_spec
from tin_kettle.core.engine.source import ArraySource, FileSource
from tin_kettle.core.recipe.model import Recipe
from tin_kettle.core.recipe.reading import parse_recipe
from tin_kettle.core.record.document import parse_record
from tin_kettle.core.survey.loudness_gained import won_by
from tin_kettle.core.survey.target_level import aim_at
from tin_kettle.store.database import Library
from tin_kettle.store.songs import add_song
from tin_kettle.store.sources import keep_source, receive
from tin_kettle.web.app import create_app

RATE_HZ = 48000
SONGS = 12
MASTER = [
    {"id": "clean", "kind": "filter", "params": {"high_pass_on": True}},
    {"id": "hold", "kind": "compressor"},
    {"id": "top", "kind": "limiter", "params": {"gain_db": 6}},
]
SPECS = (
    {"name": "Archive", "container": "bwf", "bits": 24},
    {"name": "Disc", "container": "wav", "bits": 16, "rate_hz": 44100},
    {"name": "Web", "container": "flac", "bits": 24},
)


def _noise(seconds: float, seed: int) -> NDArray[np.float64]:
    frames = round(seconds * RATE_HZ)
    swell = 0.6 + 0.4 * np.sin(np.linspace(0.0, 20.0, frames))
    return 0.12 * np.random.default_rng(seed).standard_normal((2, frames)) * swell


def _recipe() -> Recipe:
    return parse_recipe({"format": "tin-kettle-recipe", "version": 1, "master": MASTER})


def _opens_s(folder: Path) -> float:
    """A record of 12 surveyed songs, from a server that has nothing in memory yet."""
    kept = Library(folder / "home")
    for n in range(SONGS):
        path = folder / f"{n}.wav"
        soundfile.write(path, _noise(60, n).T, RATE_HZ, subtype="PCM_24")
        source = keep_source(kept, *receive(kept, iter([path.read_bytes()])), path.name)
        add_song(kept, "Twelve", f"Song {n}", {"mix": source}, _recipe())
    surveying = create_app(kept).test_client()
    while surveying.get("/api/records/1/heard").get_json()["work"] is not None:
        time.sleep(0.5)
    client = create_app(kept).test_client()
    begun = time.perf_counter()
    client.get("/api/records/1")
    assert client.get("/api/records/1/heard?columns=440").get_json()["tone"] is not None
    return time.perf_counter() - begun


def _delivery_ratio(folder: Path) -> float:
    """Four songs by three specs, delivered, against the sum of the twelve prints alone."""
    for n in range(4):
        soundfile.write(folder / f"song{n}.wav", _noise(60, n).T, RATE_HZ, subtype="PCM_24")
    (folder / "r.kettle.json").write_text(json.dumps({"format": "tin-kettle-recipe", "version": 1, "master": MASTER}))
    songs = [{"title": f"Song {n}", "source": f"song{n}.wav", "recipe": "r.kettle.json"} for n in range(4)]
    record = parse_record({"format": "tin-kettle-record", "version": 1, "title": "Four", "songs": songs})
    specs = [parse_spec({"format": "tin-kettle-spec", "version": 1, **spec}) for spec in SPECS]
    begun = time.perf_counter()
    for n in range(4):
        source = FileSource(folder / f"song{n}.wav")
        for bits, rate_hz, name in (("24", None, "a.wav"), ("16", 44100, "b.wav"), ("24", None, "c.flac")):
            settings = PrintSettings(bits=bits, rate_hz=rate_hz)  # type: ignore[arg-type]
            print_song(_recipe(), {"mix": source}, folder / name, settings)
        source.close()
    alone = time.perf_counter() - begun
    begun = time.perf_counter()
    delivered = deliver(record, folder, specs, folder / "out")
    assert all(one.sha256 for one in delivered)
    return (time.perf_counter() - begun) / alone


def rows(folder: Path) -> list[tuple[str, str, str]]:
    """What is measured, the figure, the goal."""
    three_minutes = _noise(180, 9)
    source = {"mix": ArraySource(three_minutes, RATE_HZ)}
    soundfile.write(folder / "long.wav", three_minutes.T, RATE_HZ, subtype="PCM_24")
    # kernels are loaded by the first use
    library.measure(three_minutes[:, :RATE_HZ], rate_hz=RATE_HZ)
    found = []
    for act in (
        lambda: library.measure(folder / "long.wav"),
        lambda: won_by(_recipe(), source, "top"),
        lambda: aim_at(_recipe(), source, "top", "integrated_lufs", -12.0, 0, three_minutes.shape[1]),
    ):
        begun = time.perf_counter()
        act()
        found.append(time.perf_counter() - begun)
    measuring, winning, aiming = found
    return [
        ("a record of 12 surveyed songs, opened", f"{_opens_s(folder):.1f} s", "≤ 2 s"),
        (
            "4 songs by 3 specs, measured and checked, against the sum of the single prints",
            f"{_delivery_ratio(folder):.2f} ×",
            "≤ 1.25 ×",
        ),
        ("measuring 3 minutes", f"{180 / measuring:.0f}× real time", "≥ 150×"),
        ("loudness won at nine pushes of 3 minutes", f"{winning:.1f} s", "≤ 12 s"),
        ("the gain that reaches a loudness, 3 minutes", f"{aiming:.1f} s", ""),
    ]
