"""Least squares against an exact solution and a curve that is known."""

import numpy as np
import pytest

from tin_kettle.core.dsp.fit import least_squares


def test_a_linear_problem_is_solved_at_once():
    rng = np.random.default_rng(1)
    matrix, right = rng.standard_normal((20, 3)), rng.standard_normal(20)
    wanted = np.linalg.lstsq(matrix, right, rcond=None)[0]
    np.testing.assert_allclose(least_squares(lambda x: matrix @ x - right, np.zeros(3)), wanted, atol=1e-5)


@pytest.mark.parametrize("start", [[0.5, 0.5], [3.0, 0.1], [1.0, 4.0]])
def test_a_decay_is_found_again_from_afar(start):
    t = np.linspace(0, 4, 60)
    found = least_squares(lambda x: x[0] * np.exp(-x[1] * t) - 2.5 * np.exp(-0.8 * t), np.array(start))
    np.testing.assert_allclose(found, [2.5, 0.8], atol=1e-4)


def test_it_stays_where_nothing_can_be_won():
    np.testing.assert_allclose(least_squares(lambda x: 0.0 * x + 1.0, np.array([2.0, 3.0])), [2.0, 3.0])
