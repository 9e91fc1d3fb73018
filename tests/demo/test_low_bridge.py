"""The demo song has the faults that the work is about, in sections that differ."""

import numpy as np
import pytest

from tests.conftest import recipe_of
from tin_kettle.core.engine.source import ArraySource
from tin_kettle.core.measure.loudness import integrated_lufs, stereo_energy
from tin_kettle.core.measure.song_measures import SongMeter
from tin_kettle.core.recipe.describe import describe_recipe
from tin_kettle.core.survey.beats import find_grid
from tin_kettle.core.survey.findings import find
from tin_kettle.core.survey.rules.clipping import HEARD_DB, clips_audibly
from tin_kettle.core.survey.survey import survey_song
from tin_kettle.demo.low_bridge import BEAT_S, LEAD_S, by_section, low_bridge, low_bridge_recipe, small_moves


@pytest.fixture(scope="module")
def song():
    x = low_bridge()
    meter = SongMeter(48000)
    meter.feed(x)
    return x, meter.finish(), stereo_energy(meter.loudness.slots())


def test_it_is_a_plausible_pre_master(song):
    x, measures, _ = song
    assert 90 <= x.shape[1] / 48000 <= 180
    assert -22 < measures["integrated_lufs"] < -14
    assert measures["true_peak_dbtp"] < -0.5
    assert measures["peak_to_loudness_lu"] > 14, "peaks stand far above the body"
    assert measures["clipped_samples"] == 0


def test_its_faults_can_be_measured(song):
    x, measures, _ = song
    assert measures["side_energy_below_120hz"] > 0.05
    assert min(measures["dc_offset"]) > 0.002
    left, right = np.sqrt((x**2).mean(axis=1))
    assert 20 * np.log10(left / right) > 0.5
    level = dict(zip(measures["spectrum"]["hz"], measures["spectrum"]["mid_db"], strict=True))
    assert level[3162.28] > level[1995.26] + 2
    assert level[3162.28] > level[5011.87] + 2
    assert level[39.81] > level[100.0] - 3
    hit = round(low_bridge_recipe().sections[3].start_s * 48000)
    assert np.abs(x[:, hit - 500 : hit + 500]).max() > 1.2 * np.abs(x[:, hit + 2000 : hit + 20000]).max()


def test_its_sections_differ(song):
    _, _, energy = song
    found = {}
    for section in low_bridge_recipe().sections:
        found[section.id] = integrated_lufs(energy[round(section.start_s * 100) : round(section.end_s * 100)])
    assert found["chorus1"] > found["verse1"] + 3
    assert found["verse1"] > found["intro"] + 1
    assert found["chorus2"] > found["bridge"] + 2


def test_the_version_beside_it_mends_some_of_the_faults_and_its_tempo_is_found(song):
    x, _, _ = song
    source = {"mix": ArraySource(x, 48000)}
    received = survey_song(low_bridge_recipe().as_received(), source)
    grid = find_grid(received)
    assert grid is not None
    assert grid.beat_s == pytest.approx(BEAT_S, rel=0.002), "the tempo that it was made with"
    assert grid.first_s == pytest.approx(LEAD_S, abs=0.03)
    before, after = (
        {finding.id: finding for finding in find(survey_song(recipe, source), received, recipe)}
        for recipe in (low_bridge_recipe(), small_moves())
    )
    assert "low-end-wide" in before
    assert "low-end-wide" not in after
    assert len(after) < len(before)


def test_the_version_by_section_moves_with_the_music():
    told = describe_recipe(by_section(), 48000)
    assert told["air"]["summary"].startswith("mix 9 to 25 % by section")
    assert told["thin"]["summary"].startswith("high-pass off in Chorus")
    assert told["warm"]["summary"].startswith("amount 90 to 110 % by section")


@pytest.mark.parametrize(("ceiling_db", "crests_db", "heard"), [(-3.0, -1.8, False), (-9.0, -7.8, True)])
def test_a_clipper_that_takes_the_needles_is_covered_and_one_that_takes_the_body_is_heard(
    song, ceiling_db, crests_db, heard
):
    recipe = recipe_of({"id": "clip", "kind": "clipper", "params": {"ceiling_db": ceiling_db}})
    done = survey_song(recipe, {"mix": ArraySource(song[0], 48000)})
    assert done.stages["clip"]["effort_db"].min() == pytest.approx(crests_db, abs=0.3)
    assert [found.id for found in clips_audibly(done, recipe)] == (["heard-clip"] if heard else [])
    # neither is a matter of a tenth
    assert abs(done.stages["clip"]["level_new"].max() - HEARD_DB) > 6
