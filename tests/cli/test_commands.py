"""The command line as scripts use it: exit codes, one line of complaint, JSON on standard output."""

import json
import os
import signal
import socket
import subprocess
import time

import numpy as np
import pytest
import soundfile

from tests.browser.driving import free_port
from tests.cli.running import COMMAND, run, run_apart
from tests.conftest import PATIENCE_S, music, noise, tone, write_wav
from tin_kettle.cli import serve as serving
from tin_kettle.store import backup
from tin_kettle.store.database import Library
from tin_kettle.store.lock import library_lock
from tin_kettle.store.sources import keep_source, receive, source_path


@pytest.fixture
def folder(tmp_path):
    write_wav(tmp_path / "in.wav", music(2.0) * 0.5)
    recipe = {"format": "tin-kettle-recipe", "version": 1}
    (tmp_path / "empty.kettle.json").write_text(json.dumps(recipe))
    master = [
        {"id": "clean", "kind": "filter", "params": {"high_pass_on": True}},
        {"id": "lim", "kind": "limiter", "params": {"gain_db": 6}},
    ]
    (tmp_path / "loud.kettle.json").write_text(json.dumps({**recipe, "master": master}))
    buses = [{"id": "drums"}, {"id": "bass", "gain_db": -6}]
    (tmp_path / "buses.kettle.json").write_text(json.dumps({**recipe, "buses": buses}))
    return tmp_path


def test_render_prints_and_measures(folder):
    done = run(
        "render", "in.wav", "--recipe", "loud.kettle.json", "--out", "out.flac", "--bits", "16", "--json", cwd=folder
    )
    assert done.returncode == 0, done.stderr
    told = json.loads(done.stdout)
    assert done.stdout.count("\n") == 1
    assert soundfile.info(str(folder / "out.flac")).subtype == "PCM_16"
    measured = run("measure", "out.flac", "--json", cwd=folder)
    found = json.loads(measured.stdout)
    assert found["integrated_lufs"] == pytest.approx(told["integrated_lufs"], abs=1e-6)
    assert found["true_peak_dbtp"] <= -0.95
    keys = (
        "rate_hz channels duration_s format integrated_lufs max_momentary_lufs max_short_term_lufs loudness_range_lu "
        "true_peak_dbtp sample_peak_dbfs peak_to_loudness_lu correlation mono_loss_lu side_energy_below_120hz "
        "energy_below_30hz energy_above_16khz dc_offset clipped_samples spectrum"
    )
    assert set(found) == set(keys.split())
    assert "LUFS" in run_apart("measure", "out.flac", cwd=folder).stdout


def test_render_defaults_and_options(folder):
    run("render", "in.wav", "--recipe", "empty.kettle.json", "--out", "copy.wav", "--dither", "none", cwd=folder)
    source, _ = soundfile.read(str(folder / "in.wav"), dtype="int32")
    copy, rate = soundfile.read(str(folder / "copy.wav"), dtype="int32")
    np.testing.assert_array_equal(source, copy)
    assert rate == 48000
    options = [
        "--rate",
        44100,
        "--band-limit",
        "--tail",
        0.5,
        "--from",
        0.5,
        "--to",
        2.25,
        "--bits",
        "32f",
        "--block",
        777,
    ]
    done = run("render", "in.wav", "--recipe", "loud.kettle.json", "--out", "part.wav", *options, cwd=folder)
    assert done.returncode == 0, done.stderr
    info = soundfile.info(str(folder / "part.wav"))
    assert (info.frames, info.samplerate, info.subtype) == (round(1.75 * 44100), 44100, "FLOAT")


def test_render_of_buses_pads_and_says_so(folder):
    write_wav(folder / "drums.wav", tone(1000, -20, 1.0))
    write_wav(folder / "bass.wav", tone(1000, -20, 0.5)[0])
    files = ["--bus", "drums=drums.wav", "--bus", "bass=bass.wav"]
    done = run("render", "--recipe", "buses.kettle.json", *files, "--out", "sum.wav", "--bits", "32f", cwd=folder)
    assert "bus 'bass' is 0.500 s shorter and is padded" in done.stderr
    assert "bus 'bass' is mono and becomes two equal channels" in done.stderr
    out, _ = soundfile.read(str(folder / "sum.wav"))
    assert np.abs(out[:20000]).max() == pytest.approx(0.1 * (1 + 10 ** (-6 / 20)), rel=1e-3)
    assert np.abs(out[30000:]).max() == pytest.approx(0.1, rel=1e-3)


def test_what_is_refused_is_said_in_one_line(folder):
    write_wav(folder / "drums.wav", tone(1000, -20, 1.0))
    write_wav(folder / "other.wav", tone(1000, -20, 0.5, 44100)[0], 44100)
    for files, says in (
        (("drums=drums.wav", "bass=other.wav"), "rates differ"),
        (("drums=drums.wav", "bas=other.wav"), "--bus bas: the recipe has no such bus; it has drums, bass"),
        (("drums=other.wav",), "'bass' has no file"),
    ):
        given = [word for file in files for word in ("--bus", file)]
        done = run("render", "--recipe", "buses.kettle.json", *given, "--out", "sum.wav", cwd=folder)
        assert done.returncode == 2
        assert says in done.stderr
        assert done.stderr.count("\n") == 1


def test_an_integer_print_over_full_scale_says_so(folder):
    write_wav(folder / "hot.wav", tone(1000, 6, 0.2), subtype="FLOAT")
    done = run("render", "hot.wav", "--recipe", "empty.kettle.json", "--out", "x.wav", "--json", cwd=folder)
    assert done.returncode == 0
    assert json.loads(done.stdout)["clipped_in_print"] > 1000
    assert "samples ran over full scale and were clipped" in done.stderr


@pytest.mark.parametrize(
    ("arguments", "says"),
    [
        (["measure", "none.wav"], "none.wav is not there"),
        (["measure", "loud.kettle.json"], "is not a sound file"),
        (["measure"], "Missing argument 'FILE'"),
        (["dance"], "No such command 'dance'"),
        (["render", "in.wav", "--out", "x.wav"], "Missing option '--recipe'"),
        (["render", "in.wav", "--recipe", "in.wav", "--out", "x.wav"], "is not text"),
        (["render", "--recipe", "loud.kettle.json", "--out", "x.wav"], "no source; give IN.wav"),
        (
            ["render", "in.wav", "--recipe", "buses.kettle.json", "--out", "x.wav"],
            "give --bus ID=FILE for each of drums",
        ),
        (["render", "--recipe", "buses.kettle.json", "--bus", "drums", "--out", "x.wav"], "not of the form ID=FILE"),
        (
            ["render", "--recipe", "buses.kettle.json", "--bus", "drums=in.wav", "--out", "x.wav"],
            "bus 'bass' has no file",
        ),
        (["render", "in.wav", "--recipe", "loud.kettle.json", "--out", "x.m4a"], "ending '.m4a' is not known"),
        (["render", "in.wav", "--recipe", "loud.kettle.json", "--out", "in.wav"], "is the source itself"),
        (["render", "in.wav", "--recipe", "loud.kettle.json", "--out", "x.wav", "--bits", "12"], "'12' is not one of"),
        (["render", "in.wav", "--recipe", "loud.kettle.json", "--out", "x.wav", "--from", 5], "is no part of the song"),
    ],
)
def test_bad_input_gives_one_clear_line_and_exit_2(folder, arguments, says):
    told = run(*arguments, cwd=folder)
    assert told.returncode == 2
    assert says in told.stderr
    assert told.stderr.startswith("tin-kettle: ")
    assert told.stderr.count("\n") == 1
    assert told.stdout == ""
    assert not list(folder.glob("x.*"))
    assert not list(folder.glob(".*.part"))


def test_an_interrupted_render_leaves_nothing(folder):
    write_wav(folder / "long.wav", noise(-20, 120.0))
    command = [*COMMAND, "render", "long.wav", "--recipe", "loud.kettle.json", "--out", "x.wav"]
    for number in (signal.SIGINT, signal.SIGTERM):
        process = subprocess.Popen(command, cwd=folder, stderr=subprocess.PIPE, text=True)
        while not list(folder.glob(".x.wav.*.part")):
            assert process.poll() is None
            time.sleep(0.02)
        process.send_signal(number)
        told = process.communicate(timeout=PATIENCE_S)[1]
        assert process.returncode == 130
        assert told == "tin-kettle: stopped; nothing was left behind\n"
        assert not list(folder.glob("*x.wav*"))


def test_a_port_in_use_is_said_with_the_remedy(folder):
    with socket.socket() as taken:
        taken.bind(("127.0.0.1", 0))
        taken.listen()
        port = taken.getsockname()[1]
        done = run_apart("serve", "--port", port, "--home", "home", cwd=folder)
    assert done.returncode == 2
    assert (
        f"port {port} on 127.0.0.1 cannot be used (Address already in use); choose another with --port" in done.stderr
    )


def test_a_bench_whose_kernels_are_not_compiled_yet_compiles_them_before_it_listens(folder, monkeypatch):
    done = []
    monkeypatch.setattr(serving, "compile_all", lambda: done.append("compiled"))
    monkeypatch.setattr(serving, "_run", lambda *_told: done.append("listens"))
    monkeypatch.setattr(serving, "is_compiled", lambda: "compiled" in done)
    first, second = (run("serve", "--port", free_port(), "--home", "home", cwd=folder) for _ in range(2))
    assert (first.returncode, second.returncode) == (0, 0)
    assert "compiled for this machine" in first.stderr and second.stderr == ""
    assert done == ["compiled", "listens", "listens"]


def test_a_library_is_put_back_only_while_no_server_holds_it(folder):
    library = Library(folder / "home")
    copied = backup.back_up(library)
    listed = run("restore", "--list", "--home", "home", cwd=folder)
    assert listed.stdout.split() == [copied.stem]
    with library_lock(folder / "home"):
        for command in (("restore",), ("serve", "--port", free_port())):
            done = run_apart(*command, "--home", "home", cwd=folder)
            assert done.returncode == 2 and f"home is in use by process {os.getpid()} on" in done.stderr
    done = run("restore", "--home", "home", cwd=folder)
    assert done.returncode == 0 and f"is that of {copied.stem} again" in done.stderr
    assert (folder / "home" / "library.sqlite.damaged-1").exists()


def test_a_library_is_checked_and_says_what_mends_it(folder):
    home = folder / "home"
    assert "there is no library in home" in run("library", "check", "--home", "home", cwd=folder).stderr
    library = Library(home)
    found = run("library", "check", "--home", "home", cwd=folder)
    assert (found.returncode, found.stdout) == (0, "")
    kept = keep_source(library, *receive(library, iter([(folder / "in.wav").read_bytes()])), "in.wav")
    source_path(library, kept).unlink()
    found = run("library", "check", "--repair", "--home", "home", cwd=folder)
    assert found.returncode == 1
    assert "in.wav is missing" in found.stdout and "bring in.wav again" in found.stdout


@pytest.mark.parametrize(
    ("option", "value", "says"),
    [
        ("--from", "nan", "nan is no time"),
        ("--to", "inf", "inf is no time"),
        ("--tail", "nan", "nan is no time"),
        ("--tail", "inf", "600"),
        ("--rate", "0", "8000"),
        ("--rate", "-1", "8000"),
    ],
)
def test_numbers_that_are_none_are_refused_in_one_line(folder, option, value, says):
    done = run("render", "in.wav", "--recipe", "empty.kettle.json", "--out", "x.wav", option, value, cwd=folder)
    assert done.returncode == 2 and says in done.stderr
    assert done.stderr.count("\n") == 1, done.stderr
    assert not (folder / "x.wav").exists()
