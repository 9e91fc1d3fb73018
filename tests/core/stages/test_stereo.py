"""Stereo: width, ranges, lows in the middle, rotation, each by its formula; the middle stays as it is."""

import numpy as np
import pytest

from tests.conftest import RATE_HZ, noise, recipe_of, run, tone
from tin_kettle.core.engine.graph.graph import Graph
from tin_kettle.core.errors import RecipeError
from tin_kettle.core.stages import KINDS
from tin_kettle.core.stages.stereo import StereoParams


def played(block, **params):
    return run(Graph(recipe_of({"kind": "stereo", "params": params}), RATE_HZ), block.copy())


def unlike(seconds=1.0):
    return np.stack([noise(-20, seconds, seed=1)[0], noise(-20, seconds, seed=2)[0]])


def mid_side(block):
    return 0.5 * (block[0] + block[1]), 0.5 * (block[0] - block[1])


@pytest.mark.parametrize("width", [0.0, 0.5, 2.0])
def test_width_is_the_share_of_what_differs(width):
    x = unlike()
    mid, side = mid_side(played(x, width=width))
    np.testing.assert_allclose(mid, mid_side(x)[0], atol=1e-12)
    np.testing.assert_allclose(side, width * mid_side(x)[1], atol=1e-12)


def test_as_it_came_it_is_a_copy():
    x = unlike()
    np.testing.assert_array_equal(played(x), x)


@pytest.mark.parametrize(("slope", "down_db"), [(6, 7), (12, 12.3), (24, 24.1)])
def test_lows_stand_in_the_middle_and_the_middle_stays(slope, down_db):
    x = tone(100, -12, 3)
    x[1] *= -1
    out = played(x, mono_below_hz=200, mono_slope=slope)
    last = slice(RATE_HZ, 2 * RATE_HZ)
    found = 20 * np.log10(np.linalg.norm(out[:, last]) / np.linalg.norm(x[:, last]))
    assert found == pytest.approx(-down_db, abs=0.3)
    middle = tone(100, -12, 1)
    np.testing.assert_allclose(played(middle, mono_below_hz=200, mono_slope=slope), middle, atol=1e-12)


def test_rotation_turns_the_middle_to_the_right():
    x = tone(1000, -12, 0.2)
    out = played(x, rotation_deg=45)
    assert np.abs(out[0]).max() < 1e-9
    np.testing.assert_allclose(np.sum(out**2), np.sum(x**2), rtol=1e-9)
    np.testing.assert_allclose(played(played(unlike(), rotation_deg=30), rotation_deg=-30), unlike(), atol=1e-12)


def test_a_width_a_range_and_all_pass_at_rest():
    low, high = tone(60, -12, 2), tone(6000, -12, 2)
    x = low + high
    x[1] *= -1
    out = played(x, crossovers_hz=[600], widths=[0.0, 2.0])
    lines = np.abs(np.fft.rfft(out[0, -RATE_HZ:] * np.hanning(RATE_HZ))) * 4 / RATE_HZ
    assert 20 * np.log10(lines[60]) < -50
    assert 20 * np.log10(lines[6000]) == pytest.approx(-6, abs=0.05)
    click = np.zeros((2, 8192))
    click[0, 100] = 1.0
    flat = 20 * np.log10(np.abs(np.fft.rfft(played(click, crossovers_hz=[150, 900, 5000], widths=[1, 1, 1, 1])[0])))
    assert np.abs(flat).max() < 0.01


def test_what_it_answers_is_what_it_does():
    params = {"width": 1.4, "mono_below_hz": 150, "rotation_deg": 12, "crossovers_hz": [400], "widths": [0.6, 1.3]}
    hz = np.array([50.0, 220.0, 1000.0, 9000.0])
    wanted = KINDS["stereo"].response(StereoParams.model_validate(params), hz, RATE_HZ)
    for column in range(2):
        click = np.zeros((2, 1 << 16))
        click[column, 0] = 1.0
        out = played(click, **params)
        turns = np.exp(-2j * np.pi * np.outer(hz, np.arange(out.shape[1])) / RATE_HZ)
        for row in range(2):
            np.testing.assert_allclose(turns @ out[row], wanted[row, column], atol=1e-6)


@pytest.mark.parametrize(
    ("params", "words"),
    [
        ({"widths": [1.0]}, "one more than crossovers"),
        ({"crossovers_hz": [100], "widths": [1.0, 1.0, 1.0]}, "crossovers"),
        ({"crossovers_hz": [900, 100], "widths": [1, 1, 1]}, "not above"),
        ({"widths": [1, 3], "crossovers_hz": [100]}, "2"),
    ],
)
def test_what_does_not_fit_is_refused_in_words(params, words):
    with pytest.raises(RecipeError, match=words):
        recipe_of({"kind": "stereo", "params": params})
