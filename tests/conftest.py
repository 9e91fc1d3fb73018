"""What the tests share: signals, recipes, a library."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
import pytest
import soundfile
from numpy.typing import NDArray

from tin_kettle.core.dsp.timeline import Span, Timeline
from tin_kettle.core.engine.graph.graph import Graph
from tin_kettle.core.recipe.model import Recipe
from tin_kettle.core.recipe.reading import parse_recipe
from tin_kettle.store.database import Library

RATE_HZ = 48000
PATIENCE_S = 600.0
"""After so long whatever is waited for hangs; beside what plays, a busy machine has little time left for the rest."""


class Clock:
    """Stands for the module ``time`` where a test lets time pass."""

    now_s = 100.0

    def monotonic(self) -> float:
        return self.now_s


def tone(hz: float, level_db: float, seconds: float, rate_hz: int = RATE_HZ, phase: float = 0.0) -> NDArray[np.float64]:
    """A sine on both sides, (2, frames); ``level_db`` is its peak re full scale."""
    t = np.arange(round(seconds * rate_hz)) / rate_hz
    one = 10.0 ** (level_db / 20.0) * np.sin(2.0 * np.pi * hz * t + phase)
    return np.stack([one, one])


def noise(level_db: float, seconds: float, rate_hz: int = RATE_HZ, seed: int = 0) -> NDArray[np.float64]:
    """White noise, sides independent, (2, frames); ``level_db`` is its standard deviation re full scale."""
    size = (2, round(seconds * rate_hz))
    return 10.0 ** (level_db / 20.0) * np.random.default_rng(seed).standard_normal(size)


def music(seconds: float, rate_hz: int = RATE_HZ, seed: int = 1) -> NDArray[np.float64]:
    """Something with hits, tones and silence, (2, frames), peaks near full scale."""
    rng = np.random.default_rng(seed)
    t = np.arange(round(seconds * rate_hz)) / rate_hz
    hits = np.exp(-((t * 2.0) % 1.0) * 9.0) * rng.standard_normal((2, t.size)) * 0.3
    held = 0.25 * np.sin(2 * np.pi * np.array([[110.0], [166.0]]) * t)
    return np.asarray((hits + held) * (np.sin(2 * np.pi * 0.2 * t) > -0.8))


def run(graph: Graph, block: NDArray[np.float64], start: int = 0) -> NDArray[np.float64]:
    """The next block of a graph with the one bus ``mix``, from a song frame on."""
    return graph.process({"mix": block}, Span(Timeline(), start, block.shape[1]))


def goes_to(graph: Graph, recipe: Recipe) -> bool:
    """Change a graph where it can be changed without another one."""
    if graph.reach(recipe, frozenset()) is None:
        return False
    graph.change(recipe)
    return True


def recipe_of(*master: dict[str, Any], **more: Any) -> Recipe:
    """A recipe with these master stages; ids are made up where missing."""
    stages = [{"id": f"s{i}", **stage} for i, stage in enumerate(master)]
    return parse_recipe({"format": "tin-kettle-recipe", "version": 1, "master": stages, **more})


def write_wav(path: Path, samples: NDArray[np.float64], rate_hz: int = RATE_HZ, subtype: str = "PCM_24") -> Path:
    """A sound file of (2, frames) or (frames,)."""
    soundfile.write(str(path), samples.T, rate_hz, subtype=subtype)
    return path


@pytest.fixture
def library(tmp_path: Path) -> Library:
    return Library(tmp_path / "home")


@pytest.fixture
def wav(tmp_path: Path) -> Callable[..., Path]:
    def make(samples: NDArray[np.float64], name: str = "in.wav", **more: Any) -> Path:
        return write_wav(tmp_path / name, samples, **more)

    return make
