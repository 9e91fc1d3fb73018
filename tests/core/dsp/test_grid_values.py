"""Values that travel are what a plain twin says at every frame, wherever the grid begins."""

import numpy as np
import pytest

from tin_kettle.core.dsp.grid_values import HOLD, LINE, SMOOTH, between, travelled

POINTS = [100, 400, 400, 401, 900]
RAMPS = [LINE, SMOOTH, HOLD, SMOOTH, LINE]
HEIGHTS = np.array([[1.0, -3.0, 2.0, 2.5, 0.5], [1.0, -3.0, -1.0, 2.5, 4.0]])
TRAVEL = 70


def height_at(frame: int) -> float:
    if frame < POINTS[0]:
        return HEIGHTS[0, 0]
    at = max(i for i, point in enumerate(POINTS) if point <= frame)
    height = HEIGHTS[0, at]
    if at + 1 < len(POINTS) and RAMPS[at] != HOLD:
        t = (frame - POINTS[at]) / (POINTS[at + 1] - POINTS[at])
        height += (t * t * (3 - 2 * t) if RAMPS[at] == SMOOTH else t) * (HEIGHTS[0, at + 1] - height)
    left = max(0.0, 1 - (frame - POINTS[at]) / TRAVEL)
    return height + left * (HEIGHTS[1, at] - HEIGHTS[0, at])


@pytest.mark.parametrize(
    ("first", "step", "count"), [(-64, 64, 20), (0, 1, 1000), (399, 1, 4), (901, 7, 3), (-9, 50, 1)]
)
def test_a_curve_is_at_every_point_of_a_grid_where_its_twin_is(first, step, count):
    borders, logs = np.array([0, 5, 10]), np.array([False, True])
    points, ramps = np.array(2 * POINTS), np.array(2 * RAMPS)
    out = np.full((2, count), np.nan)
    travelled(borders, points, np.concatenate([HEIGHTS, HEIGHTS], axis=1), ramps, logs, TRAVEL, first, step, out)
    wanted = [height_at(first + i * step) for i in range(count)]
    np.testing.assert_allclose(out[0], wanted, atol=1e-12)
    np.testing.assert_allclose(out[1], np.exp(wanted), rtol=1e-12)


@pytest.mark.parametrize(("begun", "frames"), [(0, 64), (5, 100), (63, 1), (10, 0)])
def test_between_two_points_of_a_grid_it_is_straight(begun, frames):
    values, out = np.array([1.0, -2.0, 5.0]), np.empty(frames)
    between(values, begun, 64, out)
    np.testing.assert_allclose(out, np.interp(begun + np.arange(frames), [0, 64, 128], values), atol=1e-12)
