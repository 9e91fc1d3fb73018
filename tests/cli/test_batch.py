"""``batch``: jobs by the contract, only what is missing is made, and a worker that is killed costs nothing."""

import json
import subprocess
import sys
import time
from contextlib import closing

import numpy as np
import psutil
import pytest
import soundfile

from tests.cli.running import run, run_apart
from tests.clusters import cluster
from tests.conftest import PATIENCE_S, RATE_HZ, music, tone, write_wav
from tin_kettle.core.batch.jobs import load_jobs, parse_jobs
from tin_kettle.core.batch.results import Hashes, is_made, key_of, note_made, sweep
from tin_kettle.core.batch.runner import run_batch
from tin_kettle.core.deliver.printing import PrintSettings, print_song
from tin_kettle.core.engine.measure_file import measure_file
from tin_kettle.core.engine.source import FileSource
from tin_kettle.core.errors import JobsError, KettleError
from tin_kettle.core.recipe.reading import load_recipe

MASTER = [{"id": "hold", "kind": "compressor"}, {"id": "top", "kind": "limiter", "params": {"gain_db": 6}}]
RENDER = {"id": "a", "do": "render", "source": "a.wav", "recipe": "r.kettle.json", "out": "prints/a.flac", "bits": 24}
MEASURE = {"id": "b", "do": "measure", "source": "a.wav", "out": "b.json"}
SURVEY = {"id": "c", "do": "survey", "source": "a.wav", "recipe": "r.kettle.json", "out": "c.json"}


def recipe_file(folder, master=MASTER):
    document = {"format": "tin-kettle-recipe", "version": 1, "master": master}
    (folder / "r.kettle.json").write_text(json.dumps(document))


def jobs_file(folder, *jobs):
    document = {"format": "tin-kettle-jobs", "version": 1, "jobs": list(jobs)}
    (folder / "jobs.json").write_text(json.dumps(document))
    return document


def batch(folder, *options):
    done = run_apart("batch", "jobs.json", "--json", *options, cwd=folder)
    assert done.stdout, done.stderr
    told = json.loads(done.stdout)
    assert done.returncode == (1 if told["failed"] else 0)
    return told


def left_over(folder):
    return [path.name for path in folder.rglob("*.part")]


def test_jobs_are_done_once_and_fail_alone(tmp_path):
    write_wav(tmp_path / "a.wav", 0.3 * music(3.0), RATE_HZ)
    recipe_file(tmp_path)
    missing = {**MEASURE, "id": "d", "source": "nowhere.wav", "out": "d.json"}
    broken = {**RENDER, "id": "e", "out": "e.docx"}
    jobs_file(tmp_path, RENDER, MEASURE, SURVEY, missing, broken)
    told = batch(tmp_path, "--workers", "1")
    assert (told["done"], told["skipped"]) == (3, 0)
    problems = {one["id"]: one["problem"] for one in told["failed"]}
    assert set(problems) == {"d", "e"}
    assert "nowhere.wav" in problems["d"] and ".docx" in problems["e"]
    assert not (tmp_path / "d.json").exists()
    with closing(FileSource(tmp_path / "a.wav")) as source:
        assert json.loads((tmp_path / "b.json").read_text()) == measure_file(source, None)
        print_song(load_recipe(tmp_path / "r.kettle.json"), {"mix": source}, tmp_path / "alone.flac", PrintSettings())
    alone, made = (soundfile.read(tmp_path / name, dtype="int32")[0] for name in ("alone.flac", "prints/a.flac"))
    assert np.array_equal(alone, made), "the samples are those of a single print"
    assert {"before", "after", "stages", "findings", "change"} == set(json.loads((tmp_path / "c.json").read_text()))
    # the same again does nothing
    jobs_file(tmp_path, RENDER, MEASURE, SURVEY)
    again = run_batch(load_jobs(tmp_path / "jobs.json"), tmp_path)
    assert (again.done, again.skipped, again.failed) == (0, 3, {})
    assert left_over(tmp_path) == []


@pytest.mark.parametrize(
    ("change", "path"),
    [
        ({"do": "paint"}, "jobs[0]"),
        ({"colour": "red"}, "jobs[0].render.colour"),
        ({"bits": 20}, "jobs[0].render.bits"),
        ({"source": None}, "no source"),
        ({"buses": {"mix": "a.wav"}}, "source and buses"),
        ({"id": "b"}, "two jobs have the id 'b'"),
        ({"out": "b.json"}, "two jobs have the out 'b.json'"),
    ],
)
def test_a_wrong_file_starts_nothing(tmp_path, change, path):
    job = {key: value for key, value in {**RENDER, **change}.items() if value is not None}
    with pytest.raises(JobsError) as refused:
        parse_jobs(jobs_file(tmp_path, job, MEASURE))
    assert path in str(refused.value)


def test_a_wrong_file_ends_with_two(tmp_path):
    (tmp_path / "jobs.json").write_text('{"format": "tin-kettle-jobs", "version": 2, "jobs": []}')
    done = run("batch", "jobs.json", "--json", cwd=tmp_path)
    assert (done.returncode, done.stdout) == (2, "")
    assert "$.version" in done.stderr
    assert len(done.stderr.splitlines()) == 1


def test_what_a_result_was_made_of_names_it(tmp_path):
    write_wav(tmp_path / "a.wav", tone(440, -12, 1), RATE_HZ)
    recipe_file(tmp_path)
    jobs_file(tmp_path, RENDER)
    (job,) = load_jobs(tmp_path / "jobs.json").jobs

    def key(**changed):
        return key_of(job.model_copy(update=changed), tmp_path, Hashes())

    was = key()
    assert key(id="other", out="elsewhere/a.flac") == was, "what it is called makes no other sound"
    assert len({was, key(bits="16"), key(seed=1), key(out="a.wav")}) == 4
    recipe_file(tmp_path, MASTER[:1])
    assert key() != was
    out = tmp_path / "x.flac"
    out.write_bytes(b"sound")
    note_made(out, was)
    assert is_made(out, was) and not is_made(out, key())
    out.write_bytes(b"noise")
    assert not is_made(out, was)
    for name in (".x.flac.123.part", "x.flac.abc.part"):
        (tmp_path / name).touch()
    (tmp_path / "other.flac.1.part").touch()
    sweep(out)
    assert left_over(tmp_path) == ["other.flac.1.part"]


def test_a_worker_killed_in_the_middle_costs_nothing(tmp_path):
    write_wav(tmp_path / "a.wav", 0.3 * music(12.0), RATE_HZ)
    recipe_file(tmp_path)
    jobs_file(tmp_path, *({**RENDER, "id": str(n), "out": f"{n}.wav", "seed": n} for n in range(4)))
    with cluster(3) as (address, _, workers):
        line = [sys.executable, "-m", "tin_kettle", "batch", "jobs.json", "--json", "--scheduler", address]
        going = subprocess.Popen(line, cwd=tmp_path, stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True)
        end, victim = time.monotonic() + PATIENCE_S, None
        while victim is None and time.monotonic() < end:
            writing = [w for w in workers if any(f.path.endswith(".part") for f in psutil.Process(w.pid).open_files())]
            victim = writing[0] if writing else None
        assert victim is not None, "no worker wrote anything"
        victim.kill()
        stdout, stderr = going.communicate(timeout=PATIENCE_S)
    told = json.loads(stdout)
    assert (going.returncode, told["done"], told["failed"]) == (0, 4, []), stderr
    assert left_over(tmp_path) == []
    with closing(FileSource(tmp_path / "a.wav")) as source:
        recipe, settings = load_recipe(tmp_path / "r.kettle.json"), PrintSettings(seed=3)
        print_song(recipe, {"mix": source}, tmp_path / "alone.wav", settings)
    assert (tmp_path / "alone.wav").read_bytes() == (tmp_path / "3.wav").read_bytes()


@pytest.mark.parametrize("address", ["nothing", "tcp://127.0.0.1:1", "tcp://127.0.0.1:port"])
def test_a_scheduler_that_is_not_there_is_told(tmp_path, address):
    write_wav(tmp_path / "a.wav", tone(440, -12, 1), RATE_HZ)
    jobs_file(tmp_path, MEASURE)
    with pytest.raises(KettleError, match=address):
        run_batch(load_jobs(tmp_path / "jobs.json"), tmp_path, scheduler=address)


@pytest.mark.parametrize(
    ("jobs", "says"),
    [
        ([{**SURVEY, "out": "r.kettle.json"}], r"jobs\[0\]\.out: 'r\.kettle\.json' is read by"),
        ([MEASURE, {**RENDER, "out": "./a.wav"}], r"jobs\[1\]\.out: './a\.wav' is read by"),
        ([MEASURE, {**MEASURE, "id": "d", "out": "./x/../b.json"}], r"is written by \$\.jobs\[0\]"),
        ([MEASURE, {**MEASURE, "id": "d", "source": "b.json", "out": "e.json"}], r"'b\.json' is read by \$\.jobs\[1\]"),
        ([{**MEASURE, "out": "link.wav"}], r"'link\.wav' is read by"),
    ],
)
def test_no_job_writes_over_what_another_reads_or_writes(tmp_path, jobs, says):
    recipe_file(tmp_path)
    write_wav(tmp_path / "a.wav", music(0.2))
    (tmp_path / "link.wav").symlink_to(tmp_path / "a.wav")
    before = {path: path.read_bytes() for path in tmp_path.iterdir()}
    jobs_file(tmp_path, *jobs)
    with pytest.raises(JobsError, match=says):
        run_batch(load_jobs(tmp_path / "jobs.json"), tmp_path)
    assert {path: path.read_bytes() for path in before} == before
    done = run("batch", "jobs.json", "--json", cwd=tmp_path)
    assert done.returncode == 2 and done.stderr.count("\n") == 1
