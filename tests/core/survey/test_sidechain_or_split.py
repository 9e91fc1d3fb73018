"""One compressor, two ways to spare the lows: what each does to them is measured, and both say so."""

import numpy as np
import pytest

from tests.conftest import RATE_HZ, noise, recipe_of, tone
from tin_kettle.core.engine.source import ArraySource
from tin_kettle.core.errors import RecipeError
from tin_kettle.core.survey.sidechain_or_split import two_ways

HOLD = {"id": "hold", "kind": "compressor", "params": {"threshold_db": -24, "ratio": 3, "knee_db": 0, "attack_ms": 5}}


@pytest.fixture(scope="module")
def sources():
    hits = (np.arange(8 * RATE_HZ) % RATE_HZ < 12000) * 1.0
    return {"mix": ArraySource(tone(55, -16, 8) + tone(2000, -12, 8) * hits + noise(-60, 8), RATE_HZ)}


def ways_of(sources, *stages):
    return two_ways(recipe_of(*stages), "hold", sources, 0, 8 * RATE_HZ)


def test_the_deaf_one_pulls_the_lows_along_and_the_other_leaves_them(sources):
    found = ways_of(sources, {"id": "t", "kind": "trim"}, HOLD, {"id": "l", "kind": "limiter"})
    deaf, apart = found.recipes
    assert [f.kind for f in deaf.stage("hold").params.detector_filters] == ["high_pass"]
    assert [stage.id for stage in apart.master] == ["t", "hold-parts", "l"]
    assert [branch.id for branch in apart.master[1].branches] == ["hold-parts-lows", "hold-parts-rest"]
    assert apart.stage("hold").params.detector_filters == ()
    low_deaf, low_apart = found.low_db
    assert low_deaf < -0.5
    assert low_apart == pytest.approx(0.0, abs=0.3)
    assert found.gains_db.shape[0] == 2 and found.gains_db.min() < -3
    assert "The detector ignores everything below 100 Hz" in found.says[0]
    assert "The lows below 100 Hz are not compressed" in found.says[1]


def test_the_corner_is_the_one_that_is_set_and_ids_stay_free(sources):
    heard = {**HOLD, "params": {**HOLD["params"], "detector_filters": [{"kind": "high_pass", "hz": 150}]}}
    first = ways_of(sources, heard)
    assert first.hz == 150
    assert first.recipes[1].master[0].params.crossovers_hz == (150.0,)
    again = two_ways(first.recipes[1], "hold", sources, 0, 4 * RATE_HZ)
    assert [stage.id for stage in again.recipes[1].stages()] == ["hold-parts", "hold-parts2", "hold"]


def test_only_compressors_have_two_ways(sources):
    with pytest.raises(RecipeError, match="no compressor"):
        two_ways(recipe_of({"id": "hold", "kind": "trim"}), "hold", sources, 0, 1000)
