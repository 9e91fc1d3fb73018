"""``compare``, ``set-level``, ``recipe``, fixes applied, stages listened to: the contract's sentences, one by one."""

import json

import numpy as np
import pytest
import soundfile

from tests.cli.running import run
from tests.conftest import RATE_HZ, music, noise, tone, write_wav
from tin_kettle.core.recipe.reading import load_recipe

EMPTY = {"format": "tin-kettle-recipe", "version": 1}
LIMITER = {"id": "top", "kind": "limiter", "params": {"ceiling_db": -1}}
TRIM = {"id": "t", "kind": "trim", "params": {"gain_db": 1}}
HOLD = {"id": "hold", "kind": "compressor", "params": {"threshold_db": -30, "ratio": 4, "makeup_db": 3}}


@pytest.fixture
def folder(tmp_path):
    write_wav(tmp_path / "in.wav", music(6.0) * 0.3, RATE_HZ, "FLOAT")
    for name, master in {
        "empty": [],
        "limited": [TRIM, LIMITER],
        "trimmed": [TRIM, {"id": "e", "kind": "equalizer"}],
        "held": [HOLD],
        "ridden": [LIMITER],
    }.items():
        document = {**EMPTY, "master": master}
        if name == "ridden":
            points = [{"at": 0, "value": 1.0}, {"at": 2, "value": 3.0}]
            document["automation"] = [{"target": "top", "param": "gain_db", "points": points}]
        (tmp_path / f"{name}.json").write_text(json.dumps(document))
    return tmp_path


def told(done, code=0):
    assert done.returncode == code, done.stderr
    return json.loads(done.stdout)


# ---- compare


@pytest.mark.parametrize("late", [0, 1, 977, 47999, -313])
def test_a_delayed_softer_copy_is_found_to_the_sample(folder, late):
    x = noise(-20, 4.0)
    moved = np.roll(x, late, axis=1)
    moved[:, : max(late, 0)] = 0.0
    if late < 0:
        moved[:, late:] = 0.0
    write_wav(folder / "a.wav", x, RATE_HZ, "DOUBLE")
    write_wav(folder / "b.wav", 0.5 * moved, RATE_HZ, "DOUBLE")
    found = told(run("compare", "a.wav", "b.wav", "--json", cwd=folder))
    assert found["delay_frames"] == late
    assert found["loudness_lu"] == pytest.approx(20 * np.log10(0.5), abs=0.02)
    assert found["null_db"] < -60
    assert len(found["hz"]) == len(found["db"]) == 31
    assert all(abs(db) < 0.1 for db in found["db"] if db is not None)
    assert ("late" in found["words"]) == (late > 0) and "6.0 LU quieter" in found["words"]


def test_what_another_file_has_more_of_is_told_by_band(folder):
    x = noise(-20, 6.0)
    write_wav(folder / "a.wav", x)
    recipe = {**EMPTY, "master": [{"id": "e", "kind": "equalizer", "params": {"bands": [
        {"id": "b", "hz": 3000, "gain_db": 6, "q": 1}]}}]}  # fmt: skip
    (folder / "bright.json").write_text(json.dumps(recipe))
    run("render", "a.wav", "--recipe", "bright.json", "--out", "b.wav", cwd=folder)
    found = told(run("compare", "a.wav", "b.wav", "--json", cwd=folder))
    change = dict(zip(found["hz"], found["db"], strict=True))
    response = told(run("response", "--recipe", "bright.json", "--stage", "e", "--json", cwd=folder))
    for hz in (100, 1000, 3150, 10000):
        wanted = np.interp(hz, response["hz"], response["mid_db"]) - found["loudness_lu"]
        assert change[hz] == pytest.approx(wanted, abs=0.5)
    assert -20 < found["null_db"] < 0


def test_the_same_file_leaves_nothing_and_a_steady_tone_is_not_shifted_by_a_period(folder):
    write_wav(folder / "tone.wav", tone(100, -12, 4.0))
    found = told(run("compare", "tone.wav", "tone.wav", "--json", cwd=folder))
    assert (found["delay_frames"], found["loudness_lu"], found["null_db"]) == (0, 0.0, -200.0)
    assert next(hz for hz, db in zip(found["hz"], found["db"], strict=True) if db is not None) >= 50
    assert "nothing is left" in run("compare", "tone.wav", "tone.wav", cwd=folder).stdout


def test_silence_and_other_rates(folder):
    write_wav(folder / "silent.wav", np.zeros((2, RATE_HZ)))
    found = told(run("compare", "silent.wav", "in.wav", "--json", cwd=folder))
    assert found["loudness_lu"] is None and found["null_db"] is None
    write_wav(folder / "other.wav", noise(-20, 1.0), 44100)
    refused = run("compare", "in.wav", "other.wav", cwd=folder)
    assert refused.returncode == 2 and refused.stderr.count("\n") == 1 and "rates differ" in refused.stderr


# ---- set-level


@pytest.mark.parametrize(("name", "stage"), [("limited", "top"), ("trimmed", "t"), ("empty", "level")])
def test_the_level_of_the_song_is_set_by_one_gain(folder, name, stage):
    found = told(
        run("set-level", "in.wav", "--recipe", f"{name}.json", "--lufs", -16, "--out", "r2.json", "--json", cwd=folder)
    )
    assert set(found) == {"stage", "gain_db", "lufs", "true_peak_dbtp", "reached"}
    assert found["stage"] == stage and found["reached"]
    before, after = load_recipe(folder / f"{name}.json"), load_recipe(folder / "r2.json")
    moved = after.stage(stage)
    assert moved.params.gain_db == pytest.approx(found["gain_db"])
    others = [one for one in after.master if one.id != stage]
    assert others == [one for one in before.master if one.id != stage]
    if stage != "level":
        assert (
            moved.params.model_copy(update={"gain_db": before.stage(stage).params.gain_db})
            == before.stage(stage).params
        )
    printed = told(
        run("render", "in.wav", "--recipe", "r2.json", "--out", "p.wav", "--bits", "32f", "--json", cwd=folder)
    )
    assert printed["integrated_lufs"] == pytest.approx(-16, abs=0.05)
    assert printed["integrated_lufs"] == pytest.approx(found["lufs"], abs=0.01)
    assert printed["true_peak_dbtp"] == pytest.approx(found["true_peak_dbtp"], abs=0.02)


@pytest.mark.parametrize("lufs", [-50, -0.5])
def test_what_a_limiter_cannot_reach_is_come_near_to(folder, lufs):
    done = run(
        "set-level", "in.wav", "--recipe", "limited.json", "--lufs", lufs, "--out", "r2.json", "--json", cwd=folder
    )
    found = told(done, code=1)
    assert not found["reached"] and found["gain_db"] in (0.0, 24.0)
    assert load_recipe(folder / "r2.json").stage("top").params.gain_db == found["gain_db"]


def test_a_level_that_moves_by_itself_and_a_silent_song_are_refused(folder):
    write_wav(folder / "silent.wav", np.zeros((2, RATE_HZ)))
    for song, recipe in (("in.wav", "ridden.json"), ("silent.wav", "limited.json")):
        refused = run("set-level", song, "--recipe", recipe, "--lufs", -14, "--out", "r2.json", cwd=folder)
        assert refused.returncode == 2 and refused.stderr.count("\n") == 1
        assert not (folder / "r2.json").exists()


# ---- recipe


def test_recipes_are_checked_without_audio(folder):
    assert run("recipe", "check", "limited.json", cwd=folder).returncode == 0
    filters = {
        **EMPTY,
        "master": [{"id": "e", "kind": "equalizer", "params": {"bands": [{"id": "b", "hz": 21000, "gain_db": 3}]}}],
    }
    (folder / "high.json").write_text(json.dumps(filters))
    assert run("recipe", "check", "high.json", cwd=folder).returncode == 0
    assert run("recipe", "check", "high.json", "--rate", 96000, cwd=folder).returncode == 0
    refused = run("recipe", "check", "high.json", "--rate", 32000, cwd=folder)
    assert refused.returncode == 2 and "$.master[0].params.bands[0].hz" in refused.stderr
    assert refused.stderr.count("\n") == 1
    (folder / "bad.json").write_text("{")
    assert run("recipe", "check", "bad.json", cwd=folder).returncode == 2


def test_a_new_recipe_prints_its_source_unchanged_and_presets_are_listed(folder):
    assert run("recipe", "new", "--out", "new.json", cwd=folder).returncode == 0
    assert len(load_recipe(folder / "new.json").buses) == 1
    run("render", "in.wav", "--recipe", "new.json", "--out", "out.wav", "--bits", "32f", cwd=folder)
    found = told(run("compare", "in.wav", "out.wav", "--json", cwd=folder))
    assert found["delay_frames"] == 0 and found["null_db"] < -140
    listed = run("recipe", "new", "--list", cwd=folder).stdout.splitlines()
    names = [line.split()[0] for line in listed]
    assert names[0] == "usual" and len(names) == len(set(names)) > 10
    for name in names:
        assert run("recipe", "new", name, "--out", f"{name}.json", cwd=folder).returncode == 0
        assert run("recipe", "check", f"{name}.json", "--rate", RATE_HZ, cwd=folder).returncode == 0
    assert run("recipe", "new", "nonsense", "--out", "x.json", cwd=folder).returncode == 2
    assert run("recipe", "new", cwd=folder).returncode == 2 and not (folder / "x.json").exists()


# ---- what a survey says, applied; what changed


def test_a_finding_is_applied_by_its_id_and_goes(folder):
    x = noise(-40, 8.0) + tone(55, -12, 8.0) + tone(80, -20, 8.0) * np.array([[1.0], [-1.0]])
    write_wav(folder / "wide.wav", x)
    survey = ("survey", "wide.wav", "--recipe", "empty.json", "--json")
    findings = {one["id"]: one for one in told(run(*survey, cwd=folder))["findings"]}
    assert findings["low-end-wide"]["fix"]
    assert set(findings["low-end-wide"]) == {"id", "title", "says", "value", "unit", "threshold", "at_s", "fix"}
    assert run(*survey, "--apply", "low-end-wide", "--out", "r2.json", cwd=folder).returncode == 0
    again = told(run("survey", "wide.wav", "--recipe", "r2.json", "--json", cwd=folder))
    assert "low-end-wide" not in {one["id"] for one in again["findings"]}
    for name in ("nonsense", *(name for name, one in findings.items() if one["fix"] is None)):
        refused = run(*survey, "--apply", name, "--out", "r3.json", cwd=folder)
        assert refused.returncode == 2 and refused.stderr.count("\n") == 1 and not (folder / "r3.json").exists()
    assert run(*survey, "--apply", "low-end-wide", cwd=folder).returncode == 2


def test_what_changed_is_told_in_time_and_frequency_at_equal_loudness(folder):
    """Tones in the middle of three bands, one of which a ride takes down by 6 dB after 4 s."""
    x = sum(tone(hz, -24, 8.25) for hz in (100, 1000, 5000))
    write_wav(folder / "tones.wav", x, RATE_HZ, "DOUBLE")
    equalizer = {"id": "e", "kind": "equalizer", "params": {"bands": [{"id": "b", "hz": 5000, "gain_db": 0, "q": 4}]}}
    points = [{"at": 0, "value": 0.0}, {"at": 4, "value": -6.0}]
    document = {
        **EMPTY,
        "master": [equalizer, {"id": "top", "kind": "limiter", "params": {"ceiling_db": 0}}],
        "automation": [{"target": "e", "param": "bands.b.gain_db", "points": points}],
    }
    (folder / "r.json").write_text(json.dumps(document))
    found = told(run("survey", "tones.wav", "--recipe", "r.json", "--json", cwd=folder))
    change, gain = found["change"], found["after"]["integrated_lufs"] - found["before"]["integrated_lufs"]
    assert change["hop_s"] == 0.5 and len(change["hz"]) == 31 and (change["hz"][0], change["hz"][-1]) == (20, 20000)
    assert len(change["db"]) == 16, "a last hop that is not whole is left out"
    at = {hz: i for i, hz in enumerate(change["hz"])}
    for hop, row in enumerate(change["db"]):
        for hz in (100, 1000):
            assert row[at[hz]] == pytest.approx(-gain, abs=0.2)
        assert row[at[5000]] == pytest.approx(-gain - (6.0 if hop >= 8 else 0.0), abs=0.2)
        assert row[at[20]] is None and row[at[12500]] is None
    assert "kHz" in change["words"]


# ---- listening and lossy prints


def test_what_a_stage_removes_and_what_its_detector_hears_are_printed(folder):
    render = ("render", "in.wav", "--recipe", "held.json", "--bits", "32f")
    run(*render, "--out", "whole.wav", cwd=folder)
    run(*render, "--out", "removed.wav", "--listen", "hold:difference", cwd=folder)
    run(*render, "--out", "heard.wav", "--listen", "hold:detector", cwd=folder)
    source, whole, removed, heard = (
        soundfile.read(folder / f"{name}.wav")[0] for name in ("in", "whole", "removed", "heard")
    )
    np.testing.assert_allclose(source * 10 ** (3 / 20) - whole, removed, atol=1e-6)
    np.testing.assert_allclose(heard, source, atol=1e-6)
    for wrong in ("nope:difference", "hold:nonsense", "hold"):
        refused = run(*render, "--out", "x.wav", "--listen", wrong, cwd=folder)
        assert refused.returncode == 2 and refused.stderr.count("\n") == 1
    refused = run(
        "render", "in.wav", "--recipe", "limited.json", "--out", "x.wav", "--listen", "t:detector", cwd=folder
    )
    assert refused.returncode == 2 and "has no detector" in refused.stderr


@pytest.mark.parametrize(("ending", "kind"), [("ogg", "OGG"), ("opus", "OGG"), ("mp3", "MP3")])
def test_lossy_prints_follow_the_ending(folder, ending, kind):
    sizes = []
    for kbit_s in (64, 256):
        done = run(
            "render", "in.wav", "--recipe", "empty.json", "--out", f"{kbit_s}.{ending}", "--kbit-s", kbit_s, cwd=folder
        )
        assert done.returncode == 0, done.stderr
        path = folder / f"{kbit_s}.{ending}"
        assert soundfile.info(path).format == kind
        sizes.append(path.stat().st_size)
    assert sizes[0] < sizes[1]


def test_a_part_of_a_file_is_measured(folder):
    x = np.concatenate([tone(1000, -40, 2.0), tone(1000, -20, 2.0)], axis=1)
    write_wav(folder / "two.wav", x)
    found = told(run("measure", "two.wav", "--from", 2, "--to", 3.5, "--json", cwd=folder))
    assert found["duration_s"] == 1.5 and found["integrated_lufs"] == pytest.approx(-20, abs=0.1)
    assert run("measure", "two.wav", "--from", 3, "--to", 9, cwd=folder).returncode == 2
