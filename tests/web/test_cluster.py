"""The bench's whole-song work on a cluster: the same results, told while it goes on, stopped, lost with its cluster."""

import hashlib
from contextlib import contextmanager

import psutil
import pytest

from tests.cli.running import run
from tests.clusters import cluster
from tests.conftest import music, recipe_of, write_wav
from tests.web.conftest import until
from tin_kettle.core.recipe.reading import dump_recipe
from tin_kettle.web.app import create_app

SLOW = recipe_of(
    *({"id": f"s{n}", "kind": "saturator", "params": {"drive_db": 3, "oversampling": 8}} for n in range(8)),
    {"id": "top", "kind": "limiter", "params": {"gain_db": 6}},
)


def with_song(client, path, recipe):
    sha256 = client.post("/api/sources?name=Low%20Bridge.wav", data=path.read_bytes()).get_json()["sha256"]
    song = client.post("/api/songs", json={"title": "Low Bridge", "sha256": sha256}).get_json()["id"]
    base = client.get(f"/api/songs/{song}").get_json()["revision"]["id"]
    client.put(f"/api/songs/{song}/recipe", json={"base": base, "label": "slow", "recipe": dump_recipe(recipe)})
    return song


def begin(client, song):
    return client.post(f"/api/songs/{song}/prints", json={}).get_json()["id"]


def ended(client, number):
    def row():
        return client.get(f"/api/prints/{number}").get_json()

    return until(row, lambda told: told["state"] not in ("waiting", "running"))


def file_of(client, number):
    with client.get(f"/api/prints/{number}/file") as answer:
        return hashlib.sha256(answer.data).hexdigest()


def test_a_cluster_does_what_the_machine_does_and_a_killed_worker_costs_nothing(library, tmp_path):
    path = write_wav(tmp_path / "in.wav", music(20.0) * 0.4)
    with cluster(2) as (address, _, workers):
        client = create_app(library, scheduler=address).test_client()
        song = with_song(client, path, SLOW)
        number = begin(client, song)
        told = until(lambda: client.get(f"/api/prints/{number}").get_json(), lambda row: 0 < row["progress"] < 1)
        assert told["state"] == "running"
        busy = [w for w in workers if any(f.path.endswith(".part") for f in psutil.Process(w.pid).open_files())]
        busy[0].kill()
        assert ended(client, number)["state"] == "done"
        url = f"/api/songs/{song}/survey"
        assert until(lambda: client.get(url).get_json(), lambda found: found["state"] == "done")
        on_cluster = file_of(client, number)
    at_home = create_app(library).test_client()
    again = begin(at_home, song)
    assert ended(at_home, again)["state"] == "done"
    assert file_of(at_home, again) == on_cluster


@contextmanager
def one_at_work(library, tmp_path):
    """A client, its song, two prints of which one is being made and the other waits, and the scheduler."""
    path = write_wav(tmp_path / "in.wav", music(40.0) * 0.4)
    with cluster(1) as (address, scheduler, _):
        client = create_app(library, scheduler=address).test_client()
        song = with_song(client, path, SLOW)
        running, waiting = begin(client, song), begin(client, song)
        until(lambda: client.get(f"/api/prints/{running}").get_json(), lambda row: row["progress"] > 0)
        yield client, song, (running, waiting), scheduler


def test_it_is_stopped_and_what_waits_never_begins(library, tmp_path):
    with one_at_work(library, tmp_path) as (client, _, prints, _):
        for number in reversed(prints):
            client.post(f"/api/prints/{number}/stop")
        assert [ended(client, number)["state"] for number in prints] == ["stopped", "stopped"]
        assert not list(library.home.rglob("*.part"))


def test_what_a_scheduler_takes_with_it_is_told_and_the_next_one_is_called_anew(library, tmp_path):
    with one_at_work(library, tmp_path) as (client, song, prints, scheduler):
        scheduler.kill()
        for number in prints:
            row = ended(client, number)
            assert (row["state"], "lost this work" in row["problem"]) == ("failed", True)
        row = ended(client, begin(client, song))
        assert row["state"] == "failed" and "no scheduler answers" in row["problem"]
    assert client.get(f"/api/songs/{song}").status_code == 200


def test_a_cluster_that_is_not_there_is_told_and_the_bench_goes_on(library, tmp_path):
    client = create_app(library, scheduler="tcp://127.0.0.1:1").test_client()
    song = with_song(client, write_wav(tmp_path / "in.wav", music(1.0) * 0.4), recipe_of())
    row = ended(client, begin(client, song))
    assert row["state"] == "failed" and "no scheduler answers" in row["problem"]
    assert client.get(f"/api/songs/{song}").status_code == 200


@pytest.mark.parametrize("address", ["tcp://127.0.0.1:1", "nowhere"])
def test_a_server_does_not_start_on_a_cluster_that_is_not_there(tmp_path, address):
    done = run("serve", "--home", str(tmp_path / "home"), "--scheduler", address, cwd=tmp_path)
    assert done.returncode != 0
    assert address in done.stderr and len(done.stderr.splitlines()) == 1
