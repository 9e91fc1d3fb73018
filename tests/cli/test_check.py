"""``check``: every thing that a spec asks for is measured from the file, and told in words where it fails."""

import json

import numpy as np
import pytest
import soundfile

from tests.cli.running import run
from tests.conftest import tone, write_wav
from tin_kettle.core.deliver.check import container_of
from tin_kettle.core.deliver.spec import Spec, parse_spec
from tin_kettle.core.errors import SpecError

CD = {
    "format": "tin-kettle-spec",
    "version": 1,
    "name": "CD-rate master",
    "container": "wav",
    "rate_hz": 44100,
    "bits": 16,
    "dither": "shaped",
    "ceiling_dbtp": -1.0,
    "loudness": {"integrated_lufs": -14.0, "tolerance_lu": 0.5},
    "naming": "{number:02} {title}",
}


def check(folder, samples, spec=CD, rate_hz=44100, subtype="PCM_16", name="out.wav"):
    write_wav(folder / name, samples, rate_hz, subtype)
    (folder / "spec.json").write_text(json.dumps(spec))
    done = run("check", name, "--spec", "spec.json", "--json", cwd=folder)
    told = json.loads(done.stdout)
    assert done.returncode == (0 if told["passed"] else 1), done.stderr
    assert told["passed"] == all(one["passed"] for one in told["checks"])
    return {one["name"]: one for one in told["checks"]}


def at_14_lufs(rate_hz=44100):
    return tone(1000, -14, 4, rate_hz)


def test_what_is_asked_for_passes(tmp_path):
    checks = check(tmp_path, at_14_lufs())
    names = "container rate_hz bits channels true_peak_dbtp integrated_lufs clipped_samples dc_offset"
    assert list(checks) == names.split()
    assert all(one["passed"] for one in checks.values()), checks
    assert checks["integrated_lufs"]["found"] == pytest.approx(-14, abs=0.1)


@pytest.mark.parametrize(
    ("name", "change", "how"),
    [
        ("container", lambda x: x, {"name": "out.flac"}),
        ("rate_hz", lambda x: x, {"rate_hz": 48000}),
        ("bits", lambda x: x, {"subtype": "PCM_24"}),
        ("channels", lambda x: x[:1], {}),
        ("true_peak_dbtp", lambda x: x * 4.9, {}),
        ("integrated_lufs", lambda x: x * 0.8, {}),
        ("clipped_samples", lambda x: np.clip(9 * x, -1, 1), {}),
        ("dc_offset", lambda x: x + 0.002, {}),
    ],
)
def test_what_fails_is_told_by_name(tmp_path, name, change, how):
    found = check(tmp_path, change(at_14_lufs(how.get("rate_hz", 44100))), **how)
    assert not found[name]["passed"]


def test_only_what_is_asked_for_is_checked_and_two_things_always(tmp_path):
    bare = {"format": "tin-kettle-spec", "version": 1, "name": "Anything", "container": "wav"}
    assert list(check(tmp_path, at_14_lufs(), bare)) == ["container", "channels", "clipped_samples", "dc_offset"]


def test_without_json_there_is_a_line_a_failed_check(tmp_path):
    write_wav(tmp_path / "loud.wav", 4 * at_14_lufs(), 44100, "PCM_16")
    (tmp_path / "spec.json").write_text(json.dumps(CD))
    done = run("check", "loud.wav", "--spec", "spec.json", cwd=tmp_path)
    assert done.returncode == 1
    lines = done.stdout.splitlines()
    assert any("integrated_lufs" in line and "-14" in line for line in lines)
    assert done.stderr == ""


def test_containers_are_known_by_what_is_in_them(tmp_path):
    x = tone(1000, -20, 1)
    for name, kind, subtype, wanted in (
        ("a.flac", "FLAC", "PCM_24", "flac"),
        ("a.aiff", "AIFF", "PCM_24", "aiff"),
        ("a.rf64", "RF64", "PCM_24", "rf64"),
        ("a.ogg", "OGG", "VORBIS", "ogg"),
        ("a.opus", "OGG", "OPUS", "opus"),
        ("a.mp3", "MP3", "MPEG_LAYER_III", "mp3"),
        ("a.wav", "WAV", "PCM_24", "wav"),
    ):
        soundfile.write(str(tmp_path / name), x.T, 48000, format=kind, subtype=subtype)
        assert container_of(tmp_path / name) == wanted
    plain = (tmp_path / "a.wav").read_bytes()
    bext = b"bext" + (602).to_bytes(4, "little") + bytes(602)
    size = (len(plain) - 8 + len(bext)).to_bytes(4, "little")
    (tmp_path / "b.wav").write_bytes(plain[:4] + size + plain[8:12] + bext + plain[12:])
    assert container_of(tmp_path / "b.wav") == "bwf"


@pytest.mark.parametrize(
    ("change", "words"),
    [
        ({"containr": 1}, "not known"),
        ({"bits": 20}, "bits"),
        ({"version": 2}, "version"),
        ({"container": "mp3"}, "kbit_s"),
        ({"kbit_s": 320}, "not lossy"),
        ({"container": "flac", "bits": "32f"}, "16 or 24"),
        ({"ceiling_dbtp": 3}, "ceiling_dbtp"),
        ({"loudness": {"integrated_lufs": -14, "window": 1}}, "not known"),
    ],
)
def test_a_spec_that_does_not_hold_is_refused_in_words(tmp_path, change, words):
    with pytest.raises(SpecError, match=words):
        parse_spec({**CD, **change})
    (tmp_path / "spec.json").write_text(json.dumps({**CD, **change}))
    write_wav(tmp_path / "x.wav", at_14_lufs(), 44100)
    done = run("check", "x.wav", "--spec", "spec.json", cwd=tmp_path)
    assert done.returncode == 2
    assert done.stderr.count("\n") == 1


def test_the_shipped_schema_is_the_codes():
    from pathlib import Path

    shipped = json.loads((Path(__file__).parents[2] / "docs/spec.schema.json").read_text())
    assert shipped == Spec.model_json_schema(), "run 'make types'"
