"""What is read of a block is what a plain look at every hop's own samples finds, wherever the block begins."""

import numpy as np
import pytest

from tin_kettle.core.engine.graph.meters import METER_HOP, levels_db, series_db


@pytest.mark.parametrize(("start", "frames"), [(0, 512), (0, 1), (255, 1), (100, 701), (1000, 259), (511, 1026)])
def test_every_hop_tells_of_its_own_samples(start, frames):
    rng = np.random.default_rng(frames)
    block = rng.standard_normal((2, frames))
    block[:, : frames // 3] = 0.0
    at = np.arange(start, start + frames) // METER_HOP
    hops = [block[:, at == hop].ravel() for hop in range(at[0], at[-1] + 1)]
    first, levels = levels_db(block, start)
    peaks = np.array([np.abs(hop).max() for hop in hops])
    assert first == start // METER_HOP
    np.testing.assert_allclose(levels, 20 * np.log10(np.maximum(peaks, 1e-10)), atol=1e-9)
    _, strongest = series_db("effort_db", block, start)
    np.testing.assert_array_equal(strongest, [hop[np.argmax(np.abs(hop))] for hop in hops])
    for rows in (block, block[:1] - 3.0):
        _, highest = series_db("level_a", rows, start)
        wanted = [rows[:, at == hop].max() for hop in range(at[0], at[-1] + 1)]
        np.testing.assert_array_equal(highest, wanted)
