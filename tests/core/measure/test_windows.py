"""Windows are the same whatever the blocks."""

import numpy as np
import pytest

from tin_kettle.core.measure.windows import Windows


@pytest.mark.parametrize("seed", range(20))
def test_windows_are_those_of_the_whole_whatever_the_blocks(seed):
    rng = np.random.default_rng(seed)
    size = int(rng.integers(1, 200))
    hop, silence, frames = int(rng.integers(1, size + 1)), int(rng.integers(0, 50)), int(rng.integers(0, 2000))
    x = rng.standard_normal((2, frames))
    whole = np.pad(x, ((0, 0), (silence, 0)))
    plain = [whole[:, at : at + size] for at in range(0, whole.shape[1] - size + 1, hop)]
    cuts = np.sort(rng.integers(0, frames + 1, int(rng.integers(0, 40))))
    windows = Windows(size, hop, silence)
    found = [window.copy() for block in np.split(x, cuts, axis=1) for window in windows.feed(block)]
    assert len(found) == len(plain)
    assert all(np.array_equal(*pair) for pair in zip(found, plain, strict=True))
