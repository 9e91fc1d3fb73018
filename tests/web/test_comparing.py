"""Versions, references, matched gains, findings and blind tests over the API."""

import numpy as np
import pytest

from tests.conftest import RATE_HZ, music, recipe_of, tone, write_wav
from tests.web.conftest import until

QUIET = recipe_of({"id": "t", "kind": "trim", "params": {"gain_db": -6}})


def done(answer):
    return answer is not None and answer.get("state") == "done"


def test_versions_are_named_matched_told_apart_and_tried(client, song, put):
    url = f"/api/songs/{song}"
    first = client.post(f"{url}/versions", json={"name": "Version A"}).get_json()
    put(QUIET)
    assert [v["name"] for v in client.get(f"{url}/versions").get_json()] == ["Version A"]
    found = client.get(f"{url}/differences?before=version:{first['id']}&after=now").get_json()
    assert found == [{"stage": "t", "title": "Trim", "what": "stage", "before": None, "after": "added"}]
    three = f"{url}/survey/match?other=version:{first['id']}&other=without:t&other=received"
    gains = until(lambda: client.get(three).get_json(), done)["gains_db"]
    assert gains.pop("now") == 0
    assert len(gains) == 3
    assert list(gains.values()) == pytest.approx([-6] * 3, abs=0.05)
    assert client.post(f"{url}/versions", json={"name": " "}).status_code == 404
    client.delete(f"/api/versions/{first['id']}")
    assert client.get(f"{url}/versions").get_json() == []
    assert client.get(f"{url}/survey/match?other=version:{first['id']}").status_code == 404
    assert "nothing to compare with" in client.get(f"{url}/survey/match?other=x").get_json()["problem"]


def test_a_fix_becomes_a_version_and_leaves_the_song_as_it_is(client, tmp_path):
    path = write_wav(tmp_path / "off.wav", music(4.0) * 0.3 + 0.01)
    sha = client.post("/api/sources?name=off.wav", data=path.read_bytes()).get_json()["sha256"]
    song = client.post("/api/songs", json={"title": "Off", "sha256": sha}).get_json()["id"]
    url = f"/api/songs/{song}"
    found = until(lambda: client.get(f"{url}/survey").get_json(), done)
    assert "offset" in [finding["id"] for finding in found["findings"]]
    before = client.get(url).get_json()["revision"]
    version = client.post(f"{url}/findings/offset/try").get_json()
    assert version["name"] == "Remove the offset"
    assert version["recipe"]["master"][0]["params"]["remove_dc"] is True
    assert client.get(url).get_json()["revision"] == before
    client.post(f"{url}/findings/offset/dismiss")
    again = client.get(f"{url}/survey").get_json()
    assert "offset" not in [finding["id"] for finding in again["findings"]]
    assert again["dismissed"] == 1
    client.post(f"{url}/findings/recall")
    assert client.get(f"{url}/survey").get_json()["dismissed"] == 0
    assert client.post(f"{url}/findings/nothing/try").status_code == 404


def test_references_have_a_passage_and_are_matched(client, song, tmp_path):
    path = write_wav(tmp_path / "Tide Table.wav", tone(1000, -6, 6.0), 44100)
    ref = client.post("/api/references?name=Tide%20Table.wav", data=path.read_bytes()).get_json()
    assert (ref["name"], ref["end_frame"]) == ("Tide Table", 288000)
    moved = client.put(f"/api/references/{ref['id']}", json={"start_frame": 0, "end_frame": 132300}).get_json()
    assert moved["end_frame"] == 132300
    refused = client.put(f"/api/references/{ref['id']}", json={"start_frame": 88200, "end_frame": 44100})
    assert refused.status_code == 404
    assert "2.0 to 1.0 s is no passage; give times from 0 to 6.5 s" in refused.get_json()["problem"]
    url = f"/api/songs/{song}/survey"
    gains = until(lambda: client.get(f"{url}/match?other=reference:{ref['id']}").get_json(), done)
    assert gains["integrated_lufs"][f"reference:{ref['id']}"] == pytest.approx(-6, abs=0.2)
    panel = client.get(f"{url}/panel?other=reference:{ref['id']}").get_json()
    assert len(panel["spread"]["low_db"][0]) == len(panel["before"]["hz"])
    text = client.get(f"{url}/panel?other=received&format=csv")
    assert text.mimetype == "text/csv"
    assert "integrated_lufs," in text.get_data(as_text=True)
    client.delete(f"/api/references/{ref['id']}")
    assert client.get("/api/references").get_json() == []


def test_the_map_is_given_in_tiles_and_sections_are_proposed(client, song):
    url = f"/api/songs/{song}/survey"
    until(lambda: client.get(url).get_json(), done)
    tile = client.get(f"{url}/columns?from=0&to={RATE_HZ}&columns=50").get_json()
    for name in ("momentary_lufs", "peaks", "correlation", "low_correlation"):
        assert len(tile[name]) == 50, name
    assert client.get(f"{url}/sections").get_json()[0]["start_s"] == 0


def test_blind_tests_are_ordered_judged_and_kept(client, song):
    url = f"/api/songs/{song}/blind"
    order = client.post(f"{url}/order", json={"rounds": 10}).get_json()["order"]
    assert len(order) == 10
    assert "5 to 20" in client.post(f"{url}/order", json={"rounds": 3}).get_json()["problem"]
    test = {"kind": "which is X", "first": "Received", "second": "Now", "rounds": 10, "hits": 9}
    told = client.post(url, json=test).get_json()
    assert "you hear the difference" in told["says"]
    assert client.get(url).get_json()[0]["hits"] == 9
    assert client.post(url, json={**test, "hits": 11}).status_code == 404


def test_several_files_become_buses_of_one_rate(client, tmp_path):
    shas = []
    for name, rate in (("Drums.wav", 48000), ("Bass.wav", 48000), ("Other.wav", 44100)):
        path = write_wav(tmp_path / name, music(1.0, rate_hz=rate), rate)
        shas.append((name, client.post(f"/api/sources?name={name}", data=path.read_bytes()).get_json()["sha256"]))
    sources = [{"sha256": sha, "name": name} for name, sha in shas]
    made = client.post("/api/songs", json={"title": "Two", "sources": sources[:2]}).get_json()
    found = client.get(f"/api/songs/{made['id']}").get_json()
    assert [bus["name"] for bus in found["revision"]["recipe"]["buses"]] == ["Drums", "Bass"]
    assert list(found["sources"]) == ["drums", "bass"]
    refused = client.post("/api/songs", json={"title": "Mixed", "sources": sources})
    assert "Other.wav 44100 Hz" in refused.get_json()["problem"]
    assert client.get(f"/api/songs/{made['id']}/waveform?bus=bass&columns=10").status_code == 200


def test_a_new_bounce_is_lined_up_with_the_old_one(client, song, tmp_path):
    x = music(3.0) * 0.5
    late = np.concatenate([np.zeros((2, 480)), 0.7 * x], axis=1)
    path = write_wav(tmp_path / "again.wav", late)
    sha = client.post("/api/sources?name=again.wav", data=path.read_bytes()).get_json()["sha256"]
    told = client.put(f"/api/songs/{song}/buses/mix/source", json={"sha256": sha}).get_json()
    assert told["says"] == "again.wav was moved 10.00 ms earlier to line up with Low Bridge.wav"
    assert told["source"]["frames"] == x.shape[1]


def test_a_new_bounce_is_an_edit_that_can_be_undone_and_versions_keep_theirs(client, song, tmp_path):
    url = f"/api/songs/{song}"
    before = client.get(url).get_json()
    version = client.post(f"{url}/versions", json={"name": "First bounce"}).get_json()
    path = write_wav(tmp_path / "again.wav", 0.25 * music(3.0))
    sha = client.post("/api/sources?name=again.wav", data=path.read_bytes()).get_json()["sha256"]
    client.put(f"{url}/buses/mix/source", json={"sha256": sha})
    after = client.get(url).get_json()
    assert after["revision"]["undo"] == "New bounce of Mix"
    assert after["revision"]["recipe"] == before["revision"]["recipe"]
    assert after["revision"]["bounces"] != before["revision"]["bounces"]
    assert after["sources"]["mix"]["sha256"] == sha
    gains = until(lambda: client.get(f"{url}/survey/match?other=version:{version['id']}").get_json(), done)
    lufs = gains["integrated_lufs"]
    assert lufs["now"] - lufs[f"version:{version['id']}"] == pytest.approx(-6.02, abs=0.02)
    client.post(f"{url}/undo")
    assert client.get(url).get_json()["sources"] == before["sources"]
    client.post(f"{url}/redo")
    assert client.get(url).get_json()["sources"]["mix"]["sha256"] == sha


def test_a_version_of_another_song_is_nothing_to_compare_with(client, song):
    sha = client.get(f"/api/songs/{song}").get_json()["sources"]["mix"]["sha256"]
    other = client.post("/api/songs", json={"title": "Another", "sha256": sha}).get_json()["id"]
    version = client.post(f"/api/songs/{other}/versions", json={"name": "Theirs"}).get_json()
    answer = client.get(f"/api/songs/{song}/survey/match?other=version:{version['id']}")
    assert answer.status_code == 404
    assert "is of another song" in answer.get_json()["problem"]


def test_what_one_stage_wins_or_costs_is_measured_where_it_stands(client, song, put):
    put(
        recipe_of({"id": "t", "kind": "trim", "params": {"gain_db": -3}}, {"kind": "limiter", "params": {"gain_db": 9}})
    )
    url = f"/api/songs/{song}/survey/effect"
    found = until(lambda: client.get(f"{url}/t").get_json(), done)
    assert found["sample_peak_dbfs"] == pytest.approx(-3, abs=1e-6), "the limiter behind it hides nothing"
    assert found["integrated_lufs"] == pytest.approx(-3, abs=0.01)
    assert client.get(f"{url}/none").status_code == 400


def test_starting_points_and_makeup_over_the_api(client, song, put):
    listed = client.get("/api/starts").get_json()
    stage = {"id": "c", "kind": "compressor", "params": {**listed[0]["params"], "threshold_db": -30}}
    assert client.post("/api/starts", json={"name": "Mine", "stage": stage}).get_json()[-1]["title"] == "Mine"
    assert "no name" in client.post("/api/starts", json={"name": "/", "stage": stage}).get_json()["problem"]
    put(recipe_of(stage))
    gain = client.post(f"/api/songs/{song}/stages/c/makeup").get_json()["gain_db"]
    assert 0.1 < gain < 12
    scope = client.get(f"/api/songs/{song}/scope?from=1000&to=1400").get_json()
    assert len(scope["before"]) == len(scope["after"]) == 400
