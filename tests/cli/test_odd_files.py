"""Files that are not what one expects are printed, measured and surveyed all the same, or refused in one clear line."""

import json

import numpy as np
import pytest
import soundfile

from tests.conftest import music, noise, write_wav
from tin_kettle.cli.main import cli
from tin_kettle.core.errors import KettleError

CHAIN = [
    {"id": "f", "kind": "filter", "params": {"high_pass_on": True}},
    {"id": "e", "kind": "equalizer", "params": {"phase": "linear", "bands": [{"id": "b", "hz": 1000, "gain_db": 2}]}},
    {"id": "c", "kind": "compressor", "params": {"threshold_db": -25}},
    {"id": "l", "kind": "limiter", "params": {"gain_db": 4}},
]


@pytest.fixture
def recipe(tmp_path):
    path = tmp_path / "r.kettle.json"
    sections = [{"id": "a", "name": "Verse", "start_s": 0, "end_s": 1}]
    told = {"format": "tin-kettle-recipe", "version": 1, "master": CHAIN, "sections": sections}
    path.write_text(json.dumps(told))
    return str(path)


def run(*line):
    cli.main([str(part) for part in line], "tin-kettle", None, False)


ODD = {
    "one sample": (np.full((2, 1), 0.5), 48000),
    "nine milliseconds": (noise(-12, 0.009), 48000),
    "mono": (music(2.0)[0] * 0.4, 48000),
    "silence": (np.zeros((2, 48000)), 48000),
    "a constant": (np.full((2, 48000), 0.3), 48000),
    "one side only": (music(1.0) * np.array([[0.5], [0.0]]), 48000),
    "clipped": (np.clip(music(1.0) * 4, -1, 1 - 2**-23), 48000),
    "8 kHz": (noise(-20, 1.0, 8000), 8000),
    "44.1 kHz": (noise(-20, 1.0, 44100), 44100),
    "192 kHz": (noise(-20, 0.5, 192000), 192000),
}


@pytest.mark.parametrize("name", ODD)
def test_it_is_printed_as_long_as_it_came_and_at_its_rate(tmp_path, recipe, name):
    samples, rate_hz = ODD[name]
    source = write_wav(tmp_path / "in.wav", samples, rate_hz)
    run("render", source, "--recipe", recipe, "--out", tmp_path / "out.wav", "--bits", "32f")
    printed, rate = soundfile.read(tmp_path / "out.wav", always_2d=True)
    assert (rate, printed.shape) == (rate_hz, (samples.shape[-1], 2))
    assert np.isfinite(printed).all()
    assert np.abs(printed).max() <= 1.0
    if name == "silence":
        assert not printed.any()


@pytest.mark.parametrize("name", ODD)
def test_it_is_measured_and_surveyed(tmp_path, recipe, capsys, name):
    samples, rate_hz = ODD[name]
    source = write_wav(tmp_path / "in.wav", samples, rate_hz)
    run("measure", source, "--json")
    measured = json.loads(capsys.readouterr().out)
    assert measured["rate_hz"] == rate_hz
    assert measured["channels"] == (1 if name == "mono" else 2)
    assert measured["duration_s"] == pytest.approx(samples.shape[-1] / rate_hz)
    run("survey", source, "--recipe", recipe, "--json")
    told = json.loads(capsys.readouterr().out)
    assert set(told) == {"before", "after", "stages", "findings", "change"}
    assert all(len(row) == len(told["change"]["hz"]) for row in told["change"]["db"])
    assert list(told["stages"]) == ["f", "e", "c", "l"]
    for effort in told["stages"].values():
        assert max(effort["effort_db"]) <= 0
        assert effort["hardest_db"] <= effort["mean_db"] + 1e-3
        assert effort["says"]
    assert told["before"]["sample_peak_dbfs"] == pytest.approx(measured["sample_peak_dbfs"], abs=1e-6)
    for finding in told["findings"]:
        assert {"id", "title", "says", "value", "unit", "threshold", "at_s", "fix"} <= set(finding)
        assert finding["at_s"] is None or 0 <= finding["at_s"] <= samples.shape[-1] / rate_hz
    if name == "clipped":
        assert "clipped" in [finding["id"] for finding in told["findings"]]


def truncated(path):
    whole = write_wav(path, noise(-20, 1.0)).read_bytes()
    path.write_bytes(whole[:30])


BAD = {
    "a text": (lambda path: path.write_text("not a sound at all"), "is not a sound file"),
    "nothing": (lambda path: path.write_bytes(b""), "is empty"),
    "no samples": (lambda path: write_wav(path, np.zeros((2, 0))), "holds no samples"),
    "the head of a file": (truncated, "in.wav"),
    "three channels": (lambda path: write_wav(path, noise(-20, 0.1)[[0, 1, 0]]), "has 3 channels"),
    "no number": (lambda path: write_wav(path, np.full((2, 100), np.nan), subtype="DOUBLE"), "in.wav"),
    "endless": (lambda path: write_wav(path, np.full((2, 100), np.inf), subtype="FLOAT"), "in.wav"),
}


@pytest.mark.parametrize("name", BAD)
@pytest.mark.parametrize("command", ["render", "measure", "survey"])
def test_it_is_refused_and_leaves_nothing_behind(tmp_path, recipe, name, command):
    make, message = BAD[name]
    make(tmp_path / "in.wav")
    more = {
        "render": ("--recipe", recipe, "--out", tmp_path / "out.wav"),
        "measure": ("--json",),
        "survey": ("--recipe", recipe, "--json"),
    }[command]
    with pytest.raises(KettleError, match=message) as refused:
        run(command, tmp_path / "in.wav", *more)
    assert "\n" not in str(refused.value)
    assert sorted(path.name for path in tmp_path.iterdir()) == ["in.wav", "r.kettle.json"]
