"""One file is found in another, wherever it lies, however short, among silence and among what is louder."""

import numpy as np
import pytest

from tests.conftest import RATE_HZ
from tin_kettle.core.engine.source import ArraySource
from tin_kettle.core.survey.align import lag_frames


def source(x):
    return ArraySource(x, RATE_HZ)


@pytest.mark.parametrize("seed", range(12))
def test_a_sound_among_silence_is_found_to_the_sample(seed):
    rng = np.random.default_rng(seed)
    sound = rng.standard_normal((2, int(rng.integers(300, 60000)))) * 0.1
    before, lag = int(rng.integers(0, 30000)), int(rng.integers(-20000, 20000))
    old = np.pad(sound, ((0, 0), (before + 20000, 40000)))
    new = np.pad(sound * 0.3, ((0, 0), (before + 20000 + lag, 40000 - lag)))
    assert lag_frames(source(old), source(new)) == lag
    assert lag_frames(source(old), source(new), 0.0, 1.0) == lag
    assert lag_frames(source(new), source(old)) == -lag


def test_a_louder_passage_elsewhere_is_no_better_match():
    rng = np.random.default_rng(3)
    sound, loud = rng.standard_normal((2, 40000)) * 0.02, rng.standard_normal((2, 40000))
    new = np.concatenate([loud, np.zeros((2, 20500)), sound], axis=1)
    assert lag_frames(source(sound), source(new)) == 60500


@pytest.mark.parametrize("frames", [1, 2, 3, 100])
def test_silence_and_single_samples_are_found_nowhere(frames):
    silent, sounding = np.zeros((2, frames)), np.full((2, frames), 0.5)
    for old, new in ((silent, silent), (silent, sounding), (sounding, silent)):
        assert lag_frames(source(old), source(new), 0.0) is None


def test_of_lags_that_match_alike_the_shortest_is_taken():
    steady = np.tile(np.sin(2 * np.pi * 1000 * np.arange(2 * RATE_HZ) / RATE_HZ), (2, 1))
    assert lag_frames(source(steady), source(steady)) == 0
