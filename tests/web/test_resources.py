"""The resources as the bench uses them, and what is refused."""

import io

import numpy as np
import pytest
import soundfile

from tests.conftest import noise, recipe_of, tone, write_wav
from tests.web.conftest import until
from tin_kettle.core.engine.measure_file import measure_file
from tin_kettle.core.engine.source import FileSource
from tin_kettle.core.recipe.reading import dump_recipe
from tin_kettle.core.stages import KINDS
from tin_kettle.web.app import create_app
from tin_kettle.web.guard import AccessGuard

LOUD = recipe_of({"id": "lim", "kind": "limiter", "params": {"gain_db": 9, "ceiling_db": -2}})


def test_a_song_is_brought_edited_undone_and_redone(client, song, put):
    assert [row["title"] for row in client.get("/api/songs").get_json()] == ["Low Bridge"]
    opened = client.get(f"/api/songs/{song}").get_json()
    assert (opened["rate_hz"], opened["frames"], opened["sources"]["mix"]["name"]) == (48000, 144000, "Low Bridge.wav")
    assert put(LOUD)["undo"] == "test"
    undone = client.post(f"/api/songs/{song}/undo").get_json()
    assert (undone["recipe"]["master"], undone["redo"]) == ([], "test")
    assert client.post(f"/api/songs/{song}/redo").get_json()["recipe"] == dump_recipe(LOUD)
    client.put(f"/api/songs/{song}/view", json={"stage": "lim"})
    assert client.get(f"/api/songs/{song}").get_json()["view"] == {"stage": "lim"}


def test_the_waveform_bounds_the_sound(client, song):
    low, high = client.get(f"/api/songs/{song}/waveform?columns=50").get_json()
    assert len(low) == len(high) == 50
    assert -1 < min(low) < -0.2 < 0.2 < max(high) < 1


def test_the_survey_lands_and_gives_strips_match_and_series(client, song, put):
    put(LOUD)
    url = f"/api/songs/{song}/survey"
    found = until(lambda: client.get(url + "?columns=100").get_json(), lambda s: s["state"] == "done")
    assert found["measures"]["true_peak_dbtp"] <= -1.95
    assert len(found["mastered"][0]) == len(found["effort"]["lim"]) == 100
    assert found["hardest"]["lim"]["db"] < -1
    assert client.get(url + "/match").get_json()["gains_db"]["now"] < -5
    series = client.get(url + "/stages/lim?from=0&to=48000&columns=20").get_json()
    assert len(series["rows"]["effort_db"]) == 20
    assert "dB max" in series["words"]
    assert "dB max" in found["work"]["lim"]
    assert client.get(url + "/stages/none").get_json() is None


def test_prints_are_made_measured_and_downloaded(client, song, put, tmp_path):
    put(LOUD)
    begun = client.post(f"/api/songs/{song}/prints", json={"format": "flac", "bits": "16"}).get_json()
    done = until(lambda: client.get(f"/api/prints/{begun['id']}").get_json(), lambda p: p["state"] != "running")
    assert done["state"] == "done", done
    answer = client.get(f"/api/prints/{begun['id']}/file")
    assert "Low Bridge" in answer.headers["Content-Disposition"]
    (tmp_path / "got.flac").write_bytes(answer.data)
    answer.close()
    found = measure_file(FileSource(tmp_path / "got.flac"))
    assert found["integrated_lufs"] == pytest.approx(done["measures"]["integrated_lufs"], abs=1e-6)
    assert found["true_peak_dbtp"] <= -1.95
    assert client.get(f"/api/songs/{song}/prints").get_json()[0]["id"] == begun["id"]


def test_one_bus_is_printed_through_its_own_chain_alone(client, library, tmp_path):
    shas = []
    for name, hz in (("low", 200), ("high", 3000)):
        path = write_wav(tmp_path / f"{name}.wav", tone(hz, -20, 2.0))
        shas.append(client.post(f"/api/sources?name={name}.wav", data=path.read_bytes()).get_json()["sha256"])
    buses = [{"name": name, "sha256": sha} for name, sha in zip(("low", "high"), shas, strict=True)]
    song = client.post("/api/songs", json={"title": "Two", "sources": buses}).get_json()["id"]
    revision = client.get(f"/api/songs/{song}").get_json()["revision"]
    document = revision["recipe"]
    trim = {"id": "t", "kind": "trim", "params": {"gain_db": -6}}
    document["buses"][1]["chain"] = [trim]
    document["master"] = [{**trim, "id": "m", "params": {"gain_db": 12}}]
    body = {"base": revision["id"], "label": "test", "recipe": document}
    assert client.put(f"/api/songs/{song}/recipe", json=body).status_code == 200
    high = document["buses"][1]["id"]
    begun = client.post(f"/api/songs/{song}/prints", json={"bits": "32f", "part": high}).get_json()
    done = until(lambda: client.get(f"/api/prints/{begun['id']}").get_json(), lambda p: p["state"] != "running")
    assert done["state"] == "done", done
    answer = client.get(f"/api/prints/{begun['id']}/file")
    (tmp_path / "got.wav").write_bytes(answer.data)
    answer.close()
    got = FileSource(tmp_path / "got.wav").read(0, 96000)
    np.testing.assert_allclose(got, tone(3000, -26, 2.0), atol=1e-6)
    refused = client.post(f"/api/songs/{song}/prints", json={"part": "nobody"})
    assert (refused.status_code, "nobody" in refused.get_json()["problem"]) == (400, True)


def test_a_print_can_be_stopped(client, library, tmp_path):
    path = write_wav(tmp_path / "long.wav", noise(-20, 60.0))
    sha = client.post("/api/sources?name=long.wav", data=path.read_bytes()).get_json()["sha256"]
    song = client.post("/api/songs", json={"title": "Long", "sha256": sha}).get_json()["id"]
    begun = client.post(f"/api/songs/{song}/prints", json={}).get_json()
    client.post(f"/api/prints/{begun['id']}/stop")
    ended = until(lambda: client.get(f"/api/prints/{begun['id']}").get_json(), lambda p: p["state"] != "running")
    assert ended["state"] == "stopped"
    refused = client.get(f"/api/prints/{begun['id']}/file")
    assert (refused.status_code, "is stopped" in refused.get_json()["problem"]) == (404, True)
    assert not list(library.folder("prints").iterdir())


def test_uploads_are_refused_with_their_own_names_and_never_used_as_paths(client, library):
    for data, message in ((b"", "is empty"), (b"RIFFnonsense" * 9, "is not a sound file")):
        answer = client.post("/api/sources?name=../../etc/take.wav", data=data)
        assert answer.status_code == 400
        assert answer.get_json()["problem"].startswith("take.wav " + message)
    three = io.BytesIO()
    soundfile.write(three, np.zeros((10, 3)), 48000, format="WAV")
    assert "3 channels" in client.post("/api/sources?name=x.wav", data=three.getvalue()).get_json()["problem"]
    assert not list(library.folder("audio").iterdir())


@pytest.mark.parametrize(
    ("method", "path", "body", "code", "message"),
    [
        ("get", "/api/songs/99", None, 404, "there is no song 99"),
        ("get", "/api/nothing", None, 404, "not found"),
        ("post", "/api/songs", {"title": "x", "sha256": "0"}, 404, "not in the library"),
        ("put", "/api/songs/1/recipe", {"base": 1, "recipe": {"format": "x"}}, 400, '$.format: "x" is not allowed'),
        ("put", "/api/songs/1/recipe", {"recipe": {}}, 400, "base: {'recipe': {}} is not allowed; field required"),
        ("put", "/api/songs/1/recipe", {"base": 77, "recipe": dump_recipe(LOUD)}, 409, "another window"),
        (
            "post",
            "/api/songs/1/prints",
            {"bits": "12"},
            400,
            "bits: '12' is not allowed; input should be '16'",
        ),
        (
            "post",
            "/api/songs/1/prints",
            {"rate_hz": "fast"},
            400,
            "rate_hz: 'fast' is not allowed",
        ),
        ("post", "/api/describe", {"format": "x"}, 400, "is not allowed"),
    ],
)
def test_refusals_say_what_would_do(client, song, method, path, body, code, message):
    answer = getattr(client, method)(path, json=body) if body is not None else getattr(client, method)(path)
    assert answer.status_code == code
    assert message.lower() in answer.get_json()["problem"].lower()


def test_stages_are_described_for_the_bench(client):
    answer = client.get("/api/stages").get_json()
    assert [kind["kind"] for kind in answer["kinds"]] == list(KINDS)
    described = client.post("/api/describe?rate=44100", json=dump_recipe(LOUD)).get_json()
    assert described["lim"]["summary"] == "+9 dB into ceiling −2 dBTP"
    assert client.get("/api/recipe.schema.json").get_json()["title"] == "Tin Kettle recipe"


def test_strangers_are_kept_out(client, song):
    assert client.get("/api/songs", headers={"Host": "evil.example"}).status_code == 421
    there = {"Origin": "http://evil.example"}
    assert client.post(f"/api/songs/{song}/undo", headers=there).status_code == 403
    opening = {**there, "Upgrade": "websocket", "Connection": "Upgrade"}
    assert client.get(f"/api/songs/{song}/live", headers=opening).status_code == 403
    assert client.post(f"/api/songs/{song}/undo", headers={"Origin": "http://localhost"}).status_code == 200
    assert "form-action 'self'" in client.get("/api/songs").headers["Content-Security-Policy"]


@pytest.mark.parametrize(
    ("headers", "code"),
    [
        ({"Origin": "http://["}, 403),
        ({"Sec-Fetch-Site": "cross-site"}, 403),
        ({"Sec-Fetch-Site": "same-site"}, 403),
        ({"Sec-Fetch-Site": "same-origin"}, 200),
    ],
)
def test_a_foreign_page_starts_nothing_not_even_by_looking(client, song, headers, code):
    assert client.post(f"/api/songs/{song}/undo", headers=headers).status_code == code
    looked = client.get(f"/api/songs/{song}/survey", headers=headers).status_code
    assert looked == (200 if "Origin" in headers else code)


def test_a_server_for_others_answers_to_its_own_names_and_not_to_guesses(library):
    client = create_app(library, AccessGuard("sesame", frozenset({"studio.local"}))).test_client()
    for host, code in (("studio.local:8360", 401), ("192.168.1.7", 401), ("[fe80::1]:80", 401), ("evil.example", 421)):
        assert client.get("/api/songs", headers={"Host": host}).status_code == code
    for _ in range(5):
        assert client.get("/?key=guess").status_code == 401
    assert client.get("/?key=sesame").status_code == 429
    answer = client.get("/?key=sesame", base_url="https://localhost", environ_base={"REMOTE_ADDR": "10.0.0.2"})
    assert (answer.status_code, "Secure" in answer.headers["Set-Cookie"]) == (302, True)


def test_a_server_for_others_asks_for_the_key(library):
    client = create_app(library, AccessGuard("sesame")).test_client()
    assert client.get("/api/songs").status_code == 401
    assert client.get("/?key=wrong").status_code == 401
    assert client.get("/?key=sesame").status_code == 302
    assert client.get("/api/songs").status_code == 200


def test_levels_and_pushes_are_tried_beside_the_bench(client, song, put):
    put(LOUD)
    url = f"/api/songs/{song}/stages/lim"
    done = {"done", "failed"}
    aimed = until(
        lambda: client.post(f"{url}/aim", json={"aim": "integrated_lufs", "target": -12.0}).get_json(),
        lambda told: told["state"] in done,
    )
    assert aimed["found"]["reached"], aimed
    assert aimed["found"]["after"]["measures"]["integrated_lufs"] == pytest.approx(-12.0, abs=0.05)
    won = until(lambda: client.get(f"{url}/won").get_json(), lambda told: told["state"] in done)
    assert len(won["found"]["steps"]) == 9
    # where it stands changes nothing of what is tried
    put(recipe_of({"id": "lim", "kind": "limiter", "params": {"gain_db": 12, "ceiling_db": -2}}))
    again = client.get(f"{url}/won").get_json()
    assert (again["state"], again["found"]) == ("done", won["found"])
    refused = client.post(f"{url}/aim", json={"aim": "loudest", "target": -12.0})
    assert refused.status_code == 400
    assert client.get(f"/api/songs/{song}/stages/none/won").status_code == 400


def test_levels_between_stages_and_loudness_to_the_ear_are_measured_beside_the_bench(client, song, put):
    put(LOUD)
    done = {"done", "failed"}
    url = f"/api/songs/{song}"
    steps = until(lambda: client.get(f"{url}/ladder/*master").get_json(), lambda told: told["state"] in done)
    assert [step["stage"] for step in steps["found"]["steps"]] == [None, *(stage.id for stage in LOUD.master)]
    assert client.get(f"{url}/ladder/nowhere").get_json()["state"] != "done"
    told = until(lambda: client.get(f"{url}/perceived?other=received").get_json(), lambda told: told["state"] in done)
    assert told["before"]["own"]["n5_sone"] > 0
    assert "at equal LUFS" in told["words"]
    again = client.get(f"{url}/perceived?other=received").get_json()
    assert (again["state"], again["words"]) == ("done", told["words"])


def test_a_stage_shows_the_image_before_and_after(client, song, put):
    put(recipe_of({"id": "w", "kind": "stereo", "params": {"width": 0.0}}))
    told = client.get(f"/api/songs/{song}/stages/w/image?from=0&to=96000").get_json()
    assert max(share or 0 for share in told["after"]["side_share"]) < 1e-6 < max(told["before"]["side_share"])


def test_the_song_is_coded_and_compared_with(client, song):
    asked = {"coder": "ogg", "kbit_s": 96}
    made = until(
        lambda: client.post(f"/api/songs/{song}/coded", json=asked).get_json(),
        lambda told: told["state"] in ("done", "failed"),
    )
    assert made["found"]["coded"]["true_peak_dbtp"] < 0
    url = f"/api/songs/{song}/survey/match?other={made['coded']}&other={made['added']}"
    told = until(lambda: client.get(url).get_json(), lambda told: len(told.get("gains_db", {})) == 3)
    assert abs(told["gains_db"][made["coded"]]) < 1
    assert told["gains_db"][made["added"]] == 0, "nothing is turned down to what coding adds"
    assert told["gains_db"]["now"] > -1
    gone = client.get(f"/api/songs/{song}/survey/match?other=coded:ogg:96:{'0' * 64}")
    assert gone.status_code == 404 and "make it again" in gone.get_json()["problem"]
    assert client.post(f"/api/songs/{song}/coded", json={"coder": "aac", "kbit_s": 96}).status_code == 400


@pytest.mark.parametrize("given", ["--5", "-", "٥", "5.0", "1e3", "9" * 30])
def test_what_is_no_whole_number_is_refused_in_words(client, song, given):
    answer = client.get(f"/api/songs/{song}/waveform?columns=5&from={given}")
    assert (answer.status_code, "is no whole number" in answer.get_json()["problem"]) == (400, True)


def test_a_print_that_was_deleted_from_the_disk_says_so(client, song, library):
    number = client.post(f"/api/songs/{song}/prints", json={"format": "wav"}).get_json()["id"]
    until(lambda: client.get(f"/api/prints/{number}").get_json(), lambda row: row["state"] == "done")
    for path in library.folder("prints").iterdir():
        path.unlink()
    answer = client.get(f"/api/prints/{number}/file")
    assert answer.status_code == 404
    assert "was deleted from the disk; print again" in answer.get_json()["problem"]
