"""Band dynamics: flat and in phase at rest, each band by its own level, in every mode by the contract's curve."""

import numpy as np
import pytest

from tests.conftest import RATE_HZ, noise, recipe_of, run, tone
from tin_kettle.core.engine.graph.graph import Graph
from tin_kettle.core.errors import RecipeError
from tin_kettle.core.stages.band_dynamics import BandDynamicsParams, DynamicBand, static_curve_db

CORNERS = (200.0, 2000.0)


def stage(*bands, corners=CORNERS, **more):
    named = [{"id": f"b{i}", **band} for i, band in enumerate(bands)]
    return {"kind": "band_dynamics", "params": {"crossovers_hz": list(corners), "bands": named}, **more}


def played(block, *stages):
    return run(Graph(recipe_of(*stages), RATE_HZ), block.copy())


def level_db(block):
    return 10.0 * np.log10(np.mean(block**2) * 2)


def test_at_rest_it_is_an_all_pass_flat_to_a_hundredth():
    impulse = np.zeros((2, 1 << 15))
    impulse[:, 100] = 1.0
    out = played(impulse, stage({}, {}, {}))
    response = np.abs(np.fft.rfft(out[0]))
    assert np.abs(20 * np.log10(response[5:])).max() < 0.001


def test_dry_sound_goes_through_the_same_all_pass():
    block = noise(-20, 0.5)
    half, whole = (played(block, stage({}, {}, {}, mix=mix)) for mix in (0.5, 1.0))
    # the dynamics' window delays both alike
    assert np.abs(half - whole).max() < 1e-9


@pytest.mark.parametrize(
    ("mode", "peak_db", "out_db"),
    [
        ("compress", -8.0, -18.0 + 10.0 / 4.0),
        ("compress", -30.0, -30.0),
        ("expand", -24.0, -18.0 - 6.0 * 4.0),
        ("expand", -10.0, -10.0),
        ("lift", -26.0, -18.0 - 8.0 / 4.0),
        ("lift", -10.0, -10.0),
        ("lift", -80.0, -80.0 + 30.0),
    ],
)
def test_a_steady_level_goes_where_the_curve_says(mode, peak_db, out_db):
    band = DynamicBand(id="x", mode=mode, threshold_db=-18, ratio=4, knee_db=0, range_db=30)
    assert static_curve_db(band, np.array([peak_db]))[0] == pytest.approx(out_db, abs=1e-9)
    # a tone that stays at its peak: the slower of both times hardly moves the gain between two peaks
    params = {"mode": mode, "threshold_db": -18, "ratio": 4, "knee_db": 0, "range_db": 30}
    out = played(tone(6000, peak_db, 3.0), stage({}, {}, {**params, "attack_ms": 0.05, "release_ms": 300}))
    found = 20 * np.log10(np.abs(out[0, -4800:]).max())
    assert found == pytest.approx(out_db, abs=0.6)


def test_only_the_band_that_is_loud_is_turned_down():
    low, high = tone(60, -6, 1.0), tone(6000, -30, 1.0)
    working = {"threshold_db": -20, "ratio": 10, "knee_db": 0, "attack_ms": 1, "release_ms": 500}
    out = played(low + high, stage(working, {}, working))
    spectrum = np.abs(np.fft.rfft(out[0, -24000:])) / 12000
    hz = np.fft.rfftfreq(24000, 1 / RATE_HZ)
    at = {f: 20 * np.log10(spectrum[np.argmin(np.abs(hz - f))]) for f in (60, 6000)}
    assert at[60] < -16 and at[6000] == pytest.approx(-30, abs=0.1)


def test_a_band_that_is_off_has_neither_dynamics_nor_gain_and_mid_leaves_the_side_alone():
    block = noise(-12, 1.0)
    off = played(block, stage({"on": False, "gain_db": 9, "threshold_db": -60, "ratio": 9}, {}, {}))
    rest = played(block, stage({}, {}, {}))
    np.testing.assert_allclose(off, rest, atol=1e-12)
    mid = played(block, stage(*[{"channels": "mid", "gain_db": -9}] * 3))
    np.testing.assert_allclose(mid[0] - mid[1], rest[0] - rest[1], atol=1e-12)
    assert level_db(mid[0] + mid[1]) == pytest.approx(level_db(rest[0] + rest[1]) - 9, abs=0.01)


def test_levels_and_gains_are_read_band_by_band():
    graph = Graph(recipe_of(stage({}, {}, {"threshold_db": -40, "ratio": 4, "attack_ms": 1})), RATE_HZ)
    graph.meter(True)
    run(graph, tone(6000, -10, 1.0))
    rows = graph.readings()["s0"].rows
    assert np.median(rows["level_b2"][1]) == pytest.approx(-10, abs=0.5)
    assert rows["level_b0"][1][-20:].max() < -50
    assert rows["effort_b2"][1][-1] < -18 and rows["effort_b0"][1].min() == 0
    np.testing.assert_array_equal(rows["effort_db"][1], rows["effort_b2"][1])


@pytest.mark.parametrize(
    ("corners", "count", "told"),
    [
        ([100, 1000], 2, r"\.crossovers_hz: has 2 crossovers; 2 bands need 1"),
        ([1000, 100], 3, r"\.crossovers_hz\[1\]: 100 Hz is not above 1000 Hz"),
    ],
)
def test_corners_rise_and_are_one_fewer_than_bands(corners, count, told):
    with pytest.raises(RecipeError, match=told):
        recipe_of(stage(*[{}] * count, corners=corners))


def test_untouched_it_is_neutral():
    params = BandDynamicsParams()
    assert len(params.bands) == len(params.crossovers_hz) + 1 == 4
    assert not any(band.works for band in params.bands)
