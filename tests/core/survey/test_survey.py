"""The survey says what the print is, where each stage works, and how loud both are."""

import numpy as np
import pytest

from tests.conftest import RATE_HZ, music, noise, recipe_of, tone
from tin_kettle.core.engine.offline import render
from tin_kettle.core.engine.source import ArraySource
from tin_kettle.core.measure.song_measures import SongMeter
from tin_kettle.core.survey.before_after import describe_passage
from tin_kettle.core.survey.findings import find
from tin_kettle.core.survey.section_figures import by_section
from tin_kettle.core.survey.survey import PEAK_HOP, Survey, columns, survey_song
from tin_kettle.core.survey.waveform_levels import BASE_FRAMES, WaveformBuilder, WaveformLevels


def built(x, size=1000):
    builder = WaveformBuilder()
    for at in range(0, x.shape[1], size):
        builder.feed(x[:, at : at + size])
    return builder.finish()


@pytest.mark.parametrize("seconds", [0.0001, 0.3, 10.0])
def test_columns_bound_every_sample(seconds):
    x = noise(-20, seconds)
    pyramid = built(x)
    for count in (1, 7, 500):
        low, high = pyramid.columns(0, x.shape[1], count)
        assert low.min() == pytest.approx(x.min(), rel=1e-6)
        assert high.max() == pytest.approx(x.max(), rel=1e-6)
        assert len(low) == count


def test_columns_show_a_hit_where_it_is(tmp_path):
    x = np.zeros((2, 480000))
    x[0, 240000] = 1.0
    for size in (999, 480000):
        pyramid = built(x, size)
        assert np.argmax(pyramid.columns(0, 480000, 1000)[1]) == pytest.approx(500, abs=1)
        assert np.argmax(pyramid.columns(230000, 250000, 40)[1]) == pytest.approx(20, abs=20000 / 40 / BASE_FRAMES + 1)
        assert pyramid.columns(0, 200000, 100)[1].max() == 0
    pyramid.save(tmp_path / "w.npz")
    np.testing.assert_array_equal(
        WaveformLevels.load(tmp_path / "w.npz").columns(0, 480000, 50), pyramid.columns(0, 480000, 50)
    )


def test_the_survey_measures_what_the_print_would_be(tmp_path):
    x = music(4.0)
    recipe = recipe_of({"id": "c", "kind": "compressor", "params": {"threshold_db": -30}}, {"kind": "limiter"})
    source = {"mix": ArraySource(x, RATE_HZ)}
    survey = survey_song(recipe, source)
    meter = SongMeter(RATE_HZ)
    for block in render(recipe, source):
        meter.feed(block)
    wanted = meter.finish()
    assert survey.measures["integrated_lufs"] == pytest.approx(wanted["integrated_lufs"], abs=1e-9)
    assert survey.measures["true_peak_dbtp"] == pytest.approx(wanted["true_peak_dbtp"], abs=1e-9)
    survey.save(tmp_path / "s.npz")
    again = Survey.load(tmp_path / "s.npz")
    assert again.measures == survey.measures
    assert again.series("c", 0, 96000, 10) == survey.series("c", 0, 96000, 10)
    np.testing.assert_array_equal(again.waveform.columns(0, 192000, 90), survey.waveform.columns(0, 192000, 90))
    assert again.lufs(0, 192000) == survey.lufs(0, 192000)
    np.testing.assert_array_equal(again.tonal.rows, survey.tonal.rows)


def test_effort_stands_at_the_time_of_the_song():
    x = tone(1000, -40, 4)
    x[:, 96000:100800] = tone(1000, -6, 0.1)
    late = {"id": "late", "kind": "compressor", "params": {"lookahead_ms": 20, "ratio": 1}}
    work = {"id": "work", "kind": "compressor", "params": {"threshold_db": -20, "ratio": 8, "attack_ms": 0.1}}
    survey = survey_song(recipe_of(late, work), {"mix": ArraySource(x, RATE_HZ)})
    db, at_s = survey.hardest("work")
    assert db < -11
    assert 2.0 - 0.01 <= at_s <= 2.1 + 0.01
    begins = np.argmax(np.array(survey.series("work", 0, 192000, 750)["effort_db"]) < -1) * 256
    assert begins == pytest.approx(96000, abs=600)


@pytest.mark.parametrize("order", ["before", "behind", "between"])
def test_a_hit_is_told_where_it_is_whatever_long_delays_there_are(order):
    x = tone(1000, -40, 4)
    x[:, 96000:97000] = tone(1000, -6, 1000 / RATE_HZ)
    long = [{"id": f"e{i}", "kind": "equalizer", "params": {"phase": "linear"}} for i in range(2)]
    params = {"threshold_db": -20, "ratio": 8, "attack_ms": 0.1, "release_ms": 5, "lookahead_ms": 20}
    work = {"id": "work", "kind": "compressor", "params": params}
    chain = {"before": [*long, work], "behind": [work, *long], "between": [long[0], work, long[1]]}[order]
    survey = survey_song(recipe_of(*chain), {"mix": ArraySource(x, RATE_HZ)})
    rows = survey.stages["work"]
    assert survey.hardest("work")[1] == pytest.approx(2.0, abs=2 * 256 / RATE_HZ + 0.02)
    for name in ("input_db", "heard_db", "output_db"):
        assert len(rows[name]) == 750
        loud = np.flatnonzero(rows[name] > -25)
        assert loud[0] in (375, 374 if name == "output_db" else 375), name
        assert loud[-1] <= 379
    working = np.flatnonzero(rows["effort_db"] < -3)
    assert 370 <= working[0] <= 375
    assert working[-1] <= 385
    assert rows["effort_db"][:350].max() == rows["effort_db"][:350].min() == 0


def test_efforts_and_levels_reach_into_branches_and_come_back_from_the_file(tmp_path):
    params = {"threshold_db": -30, "ratio": 8, "attack_ms": 1}
    branch = {"id": "b", "chain": [{"id": "c", "kind": "compressor", "params": params}]}
    split = {"id": "s", "kind": "split", "params": {"branches": [branch, {"id": "dry"}]}}
    survey = survey_song(recipe_of(split), {"mix": ArraySource(tone(1000, -12, 2), RATE_HZ)})
    assert survey.hardest("c")[0] == pytest.approx(-15.75, abs=0.5)
    assert set(survey.efforts()) == {"c"}
    assert survey.effort_db("s", 0, 96000).tolist() == [0.0] * 375
    assert survey.stages["dry"]["output_db"][50] == pytest.approx(-12, abs=0.1)
    survey.save(tmp_path / "s.npz")
    again = Survey.load(tmp_path / "s.npz")
    assert again.series("b", 0, 96000, 20) == survey.series("b", 0, 96000, 20)
    assert "output_db" in again.series("b", 0, 96000, 20)


def test_loudness_of_passages_is_that_of_the_passage():
    x = np.concatenate([tone(1000, -30, 4), tone(1000, -20, 4)], axis=1)
    survey = survey_song(recipe_of(), {"mix": ArraySource(x, RATE_HZ)})
    assert survey.lufs(0, 190000) == pytest.approx(-30, abs=0.05)
    assert survey.lufs(194000, 384000) == pytest.approx(-20, abs=0.05)


@pytest.mark.parametrize("frames", [1, 100, 479, 480, 4000])
def test_a_song_of_some_samples_is_surveyed_like_any_other(frames):
    found = survey_song(
        recipe_of({"id": "c", "kind": "compressor"}), {"mix": ArraySource(noise(-6, 1.0)[:, :frames], RATE_HZ)}
    )
    panel = describe_passage(found, 0, frames)
    assert panel["true_peak_dbtp"] == found.measures["true_peak_dbtp"] > -30
    assert find(found, found, recipe_of()) is not None
    low, high = found.waveform.columns(0, frames, 50)
    assert (low <= high).all()
    for row, hop in ((found.slots[:, 0], RATE_HZ / 100), (found.peaks, PEAK_HOP)):
        assert columns(row, hop, 0, frames, 50, np.maximum).shape == (50,)
    assert len(found.series("c", 0, frames, 50)["effort_db"]) == 50


def test_sections_have_figures_of_their_own():
    loud, wide = tone(997, -6, 4.0), noise(-30, 4.0)
    sections = [
        {"id": "a", "name": "Loud", "start_s": 0.0, "end_s": 4.0},
        # the limiter has nearly let go by then
        {"id": "b", "start_s": 6.0, "end_s": 8.0},
        {"id": "late", "start_s": 50.0, "end_s": 60.0},
    ]
    limited = {"id": "top", "kind": "limiter", "params": {"gain_db": 6, "ceiling_db": -3}}
    recipe = recipe_of(limited, sections=sections)
    found = survey_song(recipe, {"mix": ArraySource(np.concatenate([loud, wide], axis=1), RATE_HZ)})
    first, second = by_section(found, recipe)
    assert (first["name"], second["name"]) == ("Loud", "b"), "beyond the end there is nothing to tell"
    assert first["integrated_lufs"] > second["integrated_lufs"] + 10
    assert first["work_db"] == pytest.approx(-3, abs=0.2)
    assert second["work_db"] > -0.5
    assert first["side_share"] < 0.001
    assert second["side_share"] == pytest.approx(0.5, abs=0.02)
    assert by_section(found, recipe_of(sections=sections))[0]["work_db"] is None
