"""What a survey, a mastered file or a delivery was made of: changed where the sound changes, and only there."""

import pytest

from tests.conftest import recipe_of
from tests.web.conftest import until
from tin_kettle.core.recipe.reading import dump_recipe
from tin_kettle.web.jobs import Job
from tin_kettle.web.running_jobs import RunningJobs
from tin_kettle.web.surveys import content_of

TRIM = {"id": "t", "kind": "trim", "params": {"gain_db": 0}}


def by_section(start_s, name="Verse", value=-20.0):
    at = {"section": "v", "edge": "start", "offset_s": 0.0}
    points = [{"at": 0.0, "value": 0.0}, {"at": at, "value": value}]
    return recipe_of(
        TRIM,
        sections=[{"id": "v", "name": name, "start_s": start_s, "end_s": 2.5}],
        automation=[{"target": "t", "param": "gain_db", "points": points}],
    )


def test_a_section_that_moves_takes_what_hangs_on_it_along():
    assert content_of(by_section(1.0), {}) != content_of(by_section(1.5), {})
    assert content_of(by_section(1.0), {}) != content_of(by_section(1.0, value=-19.0), {})
    assert content_of(by_section(1.0), {}) == content_of(by_section(1.0, name="Chorus"), {})
    still = {**dump_recipe(recipe_of(TRIM))}
    moved = still | {"sections": [{"id": "v", "start_s": 0.0, "end_s": 1.0}]}
    assert content_of(recipe_of(TRIM), {}) == content_of(recipe_of(TRIM, sections=moved["sections"]), {})


def test_a_delivery_knows_that_a_section_moved(client, song, put):
    put(by_section(1.0))
    record = client.get("/api/records").get_json()[0]["id"]
    url = f"/api/records/{record}/deliveries"
    cells = {"cells": [{"song": song, "spec": "24-bit archive"}]}
    client.post(url, json=cells)
    (made,) = until(lambda: client.get(url).get_json(), lambda rows: rows[0]["state"] == "done")
    assert made["passed"] and not made["changed"]
    put(by_section(2.0))
    (stale,) = client.get(url).get_json()
    assert stale["changed"]
    client.post(url, json=cells)
    (again,) = until(lambda: client.get(url).get_json(), lambda rows: rows[0]["state"] == "done")
    assert again["sha256"] != made["sha256"] and not again["changed"]


def test_a_version_has_the_buses_of_its_song(client, song):
    stranger = dump_recipe(recipe_of(buses=[{"id": "drums"}]))
    refused = client.post(f"/api/songs/{song}/versions", json={"name": "Odd", "recipe": stranger})
    assert refused.status_code == 400 and "the song has the buses" in refused.get_json()["problem"]
    assert client.get(f"/api/songs/{song}/versions").get_json() == []


@pytest.mark.parametrize("ends", ["before it is noted", "after it is noted", "while it is noted"])
def test_a_job_that_ended_is_not_under_way_however_soon_it_did(ends):
    running, job = RunningJobs(), Job(1, {}, lambda _job: None)

    def start(forget):
        if ends == "before it is noted":
            job.state = "done"
            forget()
        if ends == "while it is noted":
            # its end is told before its state is set
            forget()
            job.state = "done"
        return job

    running.begin(7, start)
    if ends == "after it is noted":
        assert 7 in running
        job.state = "stopped"
    assert 7 not in running and running.get(7) is None


def test_kept_chains_of_similar_names_stand_side_by_side(client):
    names = ["Loud v1.1", "Loud v11", "Loud v1/1", "loud v11", "100%", "100%25", "..1", "Größe", "a:b"]
    for gain, name in enumerate(names):
        recipe = dump_recipe(recipe_of({**TRIM, "params": {"gain_db": gain}}))
        assert client.post("/api/chains", json={"name": name, "recipe": recipe}).status_code == 200
    kept = {one["name"]: one["recipe"]["master"][0]["params"]["gain_db"] for one in own(client)}
    assert kept == {name: gain for gain, name in enumerate(names)}
    client.delete("/api/chains/Loud%20v1%2F1")
    client.delete("/api/chains/100%25")
    assert {one["name"] for one in own(client)} == set(names) - {"Loud v1/1", "100%"}
    refused = client.post("/api/chains", json={"name": "x" * 61, "recipe": dump_recipe(recipe_of(TRIM))})
    assert "1 to 60 characters" in refused.get_json()["problem"]


def own(client):
    return [one for one in client.get("/api/chains").get_json() if one["own"]]


def test_a_print_leaves_room_for_what_rings_on(client, song, put):
    assert client.get(f"/api/songs/{song}/tail").get_json()["usual"] == "none"
    put(recipe_of({"id": "r", "kind": "room", "params": {"decay_s": 1.5}}))
    told = client.get(f"/api/songs/{song}/tail").get_json()
    assert told["usual"] == "auto" and told["seconds"] > 1.5
    for tail, seconds in (("auto", told["seconds"]), ("none", 0.0), (0.5, 0.5)):
        made = client.post(f"/api/songs/{song}/prints", json={"tail": tail}).get_json()
        done = until(
            lambda made=made: client.get(f"/api/prints/{made['id']}").get_json(), lambda row: row["state"] != "running"
        )
        assert done["measures"]["duration_s"] == pytest.approx(3.0 + seconds, abs=0.02), done
