"""Tin Kettle as a library: arrays and files in, arrays, figures and files out; its own examples are true."""

import doctest
import json
import subprocess
import sys

import numpy as np
import pytest
import soundfile

import tin_kettle
from tests.conftest import RATE_HZ, music, recipe_of, write_wav
from tin_kettle import library
from tin_kettle.core.errors import AudioError, RecipeError
from tin_kettle.core.recipe.reading import dump_recipe

LOUD = recipe_of({"id": "top", "kind": "limiter", "params": {"gain_db": 9, "ceiling_db": -2}})


def test_the_examples_are_true():
    assert doctest.testmod(library).failed == 0
    assert doctest.testmod(library).attempted > 10


def test_arrays_files_and_documents_mean_the_same(tmp_path):
    sound = music(2.0) * 0.4
    path = write_wav(tmp_path / "in.wav", sound, subtype="DOUBLE")
    recipe = tmp_path / "r.kettle.json"
    recipe.write_text(json.dumps(dump_recipe(LOUD)))
    once = tin_kettle.render(LOUD, sound, rate_hz=RATE_HZ)
    for again in (tin_kettle.render(recipe, path), tin_kettle.render(dump_recipe(LOUD), str(path))):
        np.testing.assert_allclose(again, once, atol=1e-12)
    assert np.abs(once).max() <= 10 ** (-2 / 20) + 1e-9
    assert tin_kettle.measure(path)["format"] == "WAV DOUBLE"
    by_array = tin_kettle.measure(sound, rate_hz=RATE_HZ)
    assert by_array["integrated_lufs"] == pytest.approx(tin_kettle.measure(path)["integrated_lufs"], abs=1e-9)
    told = tin_kettle.survey(LOUD, sound, rate_hz=RATE_HZ)
    assert told["after"]["true_peak_dbtp"] <= -1.95
    assert told["stages"]["top"]["hardest_db"] < -1


def test_mono_is_one_channel_to_the_meter_and_two_equal_ones_to_a_recipe():
    one = music(1.0)[0]
    both = tin_kettle.render({"format": "tin-kettle-recipe", "version": 1}, one, rate_hz=RATE_HZ)
    np.testing.assert_array_equal(both, np.stack([one, one]))
    apart = [tin_kettle.measure(x, rate_hz=RATE_HZ)["integrated_lufs"] for x in (one, both)]
    assert apart[1] - apart[0] == pytest.approx(3.01, abs=0.01)


def test_several_buses_are_given_by_their_ids(tmp_path):
    recipe = recipe_of(buses=[{"id": "a"}, {"id": "b", "gain_db": -6.0206}])
    sum_of = tin_kettle.render(recipe, {"a": np.ones(100) * 0.2, "b": np.ones(100) * 0.2}, rate_hz=RATE_HZ)
    np.testing.assert_allclose(sum_of, 0.3, atol=1e-6)
    with pytest.raises(RecipeError, match="bus 'b' has no file"):
        tin_kettle.render(recipe, {"a": np.ones(100)}, rate_hz=RATE_HZ)


def test_a_print_is_written_and_measured(tmp_path):
    out = tmp_path / "out.flac"
    measures = tin_kettle.render_to(out, LOUD, music(2.0) * 0.4, rate_hz=RATE_HZ, bits="16", print_rate_hz=44100)
    info = soundfile.info(out)
    assert (info.samplerate, info.subtype) == (44100, "PCM_16")
    assert measures["integrated_lufs"] == pytest.approx(tin_kettle.measure(out)["integrated_lufs"], abs=1e-6)


@pytest.mark.parametrize(
    ("sound", "rate_hz", "says"),
    [
        (np.zeros(100), None, "give rate_hz"),
        (np.zeros(100), 100, "is no rate"),
        (np.zeros((3, 100)), RATE_HZ, r"shape \(3, 100\)"),
        (np.zeros((2, 0)), RATE_HZ, r"shape \(2, 0\)"),
        (np.full(10, np.nan), RATE_HZ, "no numbers"),
        ("nowhere.wav", None, "nowhere.wav"),
    ],
)
def test_what_is_no_sound_is_refused_in_words(sound, rate_hz, says):
    with pytest.raises(AudioError, match=says):
        tin_kettle.measure(sound, rate_hz=rate_hz)


def test_the_name_alone_loads_nothing_heavy():
    script = "import sys, tin_kettle; print('numba' in sys.modules, tin_kettle.__version__)"
    said = subprocess.run([sys.executable, "-c", script], capture_output=True, text=True, check=True).stdout
    assert said.split() == ["False", tin_kettle.__version__]
    with pytest.raises(AttributeError, match="no attribute 'nothing'"):
        tin_kettle.nothing  # noqa: B018


def test_a_server_does_not_wait_for_what_few_requests_need():
    slow = ("numba", "scipy.signal", "fpdf")
    script = f"import sys, tin_kettle.web.server; print([name for name in {slow} if name in sys.modules])"
    said = subprocess.run([sys.executable, "-c", script], capture_output=True, text=True, check=True).stdout
    assert said.strip() == "[]"
