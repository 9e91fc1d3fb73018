"""Cascades fitted to curves: levels and slopes against their plain twins, and a curve that is found again."""

import numpy as np
import pytest

from tin_kettle.core.dsp.equalizer_filters import SPARE, bell
from tin_kettle.core.dsp.filter_fit import _levels, cascade_db, fitted
from tin_kettle.core.dsp.pass_filters import high_pass, low_pass
from tin_kettle.core.dsp.svf import svf_response

W = np.linspace(0.01, 2.9, 150)
CASCADES = [low_pass(3000, 24, 0.0, 48000), bell(900, 2.0, 9.0, 48000), np.array([SPARE])]


@pytest.mark.parametrize("sections", CASCADES)
def test_levels_and_slopes_are_those_of_the_response(sections):
    hz = W / (2 * np.pi) * 48000

    def level(rows):
        return 20 * np.log10(np.abs(svf_response(rows, hz, 48000)))

    np.testing.assert_allclose(cascade_db(sections, W), level(sections), atol=1e-9)
    _, slopes = _levels(sections, np.tan(W / 2) ** 2)
    for s in range(len(sections)):
        for c in range(5):
            more = sections.copy()
            more[s, c] *= np.exp(1e-6)
            np.testing.assert_allclose(slopes[s, c], (level(more) - level(sections)) / 1e-6, atol=2e-3)


def test_a_curve_is_found_again_from_nearby_and_what_is_nought_stays_so():
    wanted = high_pass(2000, 12, 0.0, 48000)
    start = wanted * np.array([1.3, 0.8, 1.1, 1.0, 1.0])
    made = fitted(start, W, cascade_db(wanted, W), np.ones(W.size), 1e-6)
    np.testing.assert_allclose(cascade_db(made, W), cascade_db(wanted, W), atol=1e-4)
    assert (made[:, 3:] == 0).all()


def test_the_level_at_dc_is_kept_where_that_is_asked():
    start = low_pass(5000, 24, 0.0, 48000)
    made = fitted(start, W, cascade_db(start, W) + 3.0, np.ones(W.size), 1e-3, keep_dc=True)
    assert cascade_db(made, np.array([1e-6]))[0] == pytest.approx(0.0, abs=1e-5)
