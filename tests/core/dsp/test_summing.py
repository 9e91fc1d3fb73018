"""Sums are those of one addition after the other, to the last bit, and leave what is summed as it is."""

import numpy as np
import pytest

from tin_kettle.core.dsp.summing import summed


@pytest.mark.parametrize("count", range(1, 9))
def test_they_are_added_in_their_order_and_stay_as_they_are(count):
    parts = [np.random.default_rng(seed).standard_normal((2, 301)) * 10.0**seed for seed in range(count)]
    before = [part.copy() for part in parts]
    wanted = before[0]
    for part in before[1:]:
        wanted = wanted + part
    total = summed(parts)
    np.testing.assert_array_equal(total, wanted)
    np.testing.assert_array_equal(parts, before)
    assert (total is parts[0]) == (count == 1)
