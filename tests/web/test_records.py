"""A record as the bench uses it: edited, heard in a row, delivered, its papers."""

import csv
import hashlib
import io
import zipfile

import numpy as np
import pytest
import soundfile
from mutagen import flac

from tests.conftest import RATE_HZ, music, recipe_of, write_wav
from tests.web.conftest import until
from tin_kettle.core.errors import KettleError
from tin_kettle.core.recipe.reading import dump_recipe
from tin_kettle.web.records import record_sound

SPEC = {"format": "tin-kettle-spec", "version": 1}
DISC = {**SPEC, "name": "Disc", "container": "wav", "bits": 16, "rate_hz": 44100, "ceiling_dbtp": -1.0}


@pytest.fixture
def record(client, tmp_path):
    """Two songs of one record, the second through a limiter."""
    for title, sound in (("Low Bridge", music(3.0) * 0.4), ("Slack Water", music(2.0) * 0.2)):
        data = write_wav(tmp_path / f"{title}.wav", sound).read_bytes()
        sha256 = client.post(f"/api/sources?name={title}.wav", data=data).get_json()["sha256"]
        made = client.post("/api/songs", json={"title": title, "record": "Slack Water", "sha256": sha256}).get_json()
    recipe = recipe_of({"id": "top", "kind": "limiter", "params": {"gain_db": 6, "ceiling_db": -1}})
    base = client.get(f"/api/songs/{made['id']}").get_json()["revision"]["id"]
    client.put(f"/api/songs/{made['id']}/recipe", json={"base": base, "label": "top", "recipe": dump_recipe(recipe)})
    return client.get("/api/records").get_json()[0]["id"]


def changed(client, record, label, change):
    now = client.get(f"/api/records/{record}").get_json()
    names = ("title", "artist", "date", "upc", "cover", "songs")
    laid = [{key: song[key] for key in song if key not in ("rate_hz", "frames")} for song in now["songs"]]
    state = {name: now[name] for name in names} | {"songs": laid}
    change(state)
    return client.put(f"/api/records/{record}", json={"base": now["edit"], "label": label, "state": state})


def test_a_record_is_measured_and_every_song_at_its_level(client, record):
    url = f"/api/records/{record}/heard?columns=50"
    heard = until(lambda: client.get(url).get_json(), lambda told: told["papers"])
    assert heard["work"] is None
    first, second = heard["songs"].values()
    assert len(first["wave"][0]) == len(first["short_term_lufs"]) == 50
    assert np.shape(heard["tone"]["songs_db"])[0] == 2
    assert [[stage["title"] for stage in chain] for chain in heard["chains"].values()] == [[], ["Limiter"]]

    def lower(state):
        state["songs"][1] |= {"gain_db": -4.0, "end_s": 1.0}

    assert changed(client, record, "softer", lower).get_json()["undo"] == "softer"
    again = list(client.get(url).get_json()["songs"].values())[1]
    assert again["integrated_lufs"] == pytest.approx(second["integrated_lufs"] - 4, abs=0.01)
    assert again["true_peak_dbtp"] == pytest.approx(second["true_peak_dbtp"] - 4, abs=0.01)
    assert again["seconds"] == 1.0
    assert client.post(f"/api/records/{record}/undo", json={}).get_json()["redo"] == "softer"


def test_it_is_played_from_mastered_files_at_their_own_or_at_equal_loudness(app, client, record):
    until(lambda: client.get(f"/api/records/{record}/heard").get_json(), lambda told: told["papers"])
    url = f"/api/records/{record}/playable"
    told = until(lambda: client.get(url).get_json(), lambda told: told["state"] == "done")
    assert told["starts"] == [0, 5 * RATE_HZ]
    assert told["spans"] == [[0, 0, told["frames"]]]
    joins = client.get(url + "?part=joins").get_json()
    assert joins["spans"] == [[0, 0, 7 * RATE_HZ]]
    here = app.extensions["tin_kettle"]
    own, source = record_sound(here, record, "all", equal=False)
    even, _ = record_sound(here, record, "all", equal=True)
    sounds = [[part.read(at, 2 * RATE_HZ) for at in (RATE_HZ, 5 * RATE_HZ)] for part in (own, even)]
    assert np.abs(source.read(5 * RATE_HZ, 2 * RATE_HZ)).max() <= 10 ** (-1 / 20) + 1e-6, "the limiter is heard"
    apart, together = (20 * np.log10(np.sqrt((a**2).mean() / (b**2).mean())) for a, b in sounds)
    assert abs(together) < abs(apart)
    assert abs(together) < 1.5


def test_songs_are_delivered_by_specs_checked_and_known_when_changed(client, record, library):
    assert [one["spec"]["name"] for one in client.get("/api/specs").get_json()] == [
        "24-bit archive",
        "CD-rate master",
        "Lossy preview",
        "Streaming",
        "Whole record",
    ]
    kept = client.post("/api/specs", json={"spec": DISC}).get_json()
    assert kept[-1]["own"] and kept[-1]["spec"]["name"] == "Disc"
    songs = [song["id"] for song in client.get(f"/api/records/{record}").get_json()["songs"]]
    url = f"/api/records/{record}/deliveries"
    cells = [{"song": song, "spec": "Disc"} for song in songs]
    client.post(url, json={"cells": cells})
    done = until(lambda: client.get(url).get_json(), lambda rows: all(row["state"] == "done" for row in rows))
    assert [row["passed"] for row in done] == [True, True]
    assert [row["file_name"] for row in done] == ["01 Low Bridge.wav", "02 Slack Water.wav"]
    with client.get(f"/api/deliveries/{done[0]['id']}/file") as answer:
        assert "01 Low Bridge.wav" in answer.headers["Content-Disposition"]
        assert hashlib.sha256(answer.data).hexdigest() == done[0]["sha256"]
        assert soundfile.info(io.BytesIO(answer.data)).samplerate == 44100
    path = library.folder("deliveries") / f"{done[0]['id']}.wav"
    whole = path.read_bytes()
    path.write_bytes(whole[:-1] + bytes([whole[-1] ^ 1]))
    answer = client.get(f"/api/deliveries/{done[0]['id']}/file")
    assert (answer.status_code, "was changed on the disk" in answer.get_json()["problem"]) == (404, True)
    path.write_bytes(whole)
    # asked for once more nothing is made again
    assert [row["id"] for row in client.post(url, json={"cells": cells}).get_json()] == [row["id"] for row in done]

    def louder(state):
        state["songs"][0]["gain_db"] = 3.0

    changed(client, record, "louder", louder)
    assert [row["changed"] for row in client.get(url).get_json()] == [True, False]
    client.post(f"/api/records/{record}/undo", json={})
    assert [row["changed"] for row in client.get(url).get_json()] == [False, False]
    until(lambda: client.get(f"/api/records/{record}/heard").get_json(), lambda told: told["papers"])
    papers = {name: client.get(f"/api/records/{record}/papers/{name}") for name in ("sheet.html", "sheet.pdf")}
    assert done[0]["sha256"] in papers["sheet.html"].text
    assert papers["sheet.pdf"].data.startswith(b"%PDF-")
    figures = csv.reader(io.StringIO(client.get(f"/api/records/{record}/papers/figures.csv").text))
    assert any(row[1] == "Disc: Disc/01 Low Bridge.wav" for row in figures)
    assert 'FILE "02 Slack Water.wav" WAVE' in client.get(f"/api/records/{record}/papers/order.cue?spec=Disc").text
    with client.get(f"/api/records/{record}/delivered.zip") as answer:
        packed = io.BytesIO(answer.data)
    with zipfile.ZipFile(packed) as archive:
        assert "Slack Water/Disc/01 Low Bridge.wav" in archive.namelist()
        assert "Slack Water/sheet.pdf" in archive.namelist()
        assert "Slack Water/Disc/Slack Water.cue" in archive.namelist()
    removed = client.post("/api/specs/remove", json={"name": "Disc"}).get_json()
    assert "Disc" not in [one["spec"]["name"] for one in removed]


def test_songs_that_would_be_one_file_are_refused_before_anything_is_printed(client, record):
    client.post("/api/specs", json={"spec": {**DISC, "naming": "{artist}"}})
    songs = [song["id"] for song in client.get(f"/api/records/{record}").get_json()["songs"]]
    url = f"/api/records/{record}/deliveries"
    for asked in (songs, songs[:1]):
        answer = client.post(url, json={"cells": [{"song": song, "spec": "Disc"} for song in asked]})
        assert answer.status_code == 400 and "calls two songs" in answer.text
    assert client.get(url).get_json() == []


def test_it_is_delivered_as_one_file_and_as_gapless_songs_with_their_cues(client, record):
    gapless = {**DISC, "name": "Gapless", "bits": "32f", "files": "gapless"}
    for spec in ({**gapless, "name": "One", "files": "whole"}, gapless):
        client.post("/api/specs", json={"spec": spec})
    songs = [song["id"] for song in client.get(f"/api/records/{record}").get_json()["songs"]]
    url = f"/api/records/{record}/deliveries"
    asked = [{"spec": "One"}, *({"song": song, "spec": "Gapless"} for song in songs)]
    client.post(url, json={"cells": asked})
    done = until(lambda: client.get(url).get_json(), lambda rows: all(row["state"] == "done" for row in rows))
    assert [(row["song_id"], row["spec"]) for row in done] == [(None, "One"), *((song, "Gapless") for song in songs)]
    assert all(row["passed"] for row in done), [row["reasons"] for row in done]
    heard = []
    for row in done:
        with client.get(f"/api/deliveries/{row['id']}/file") as answer:
            heard.append(soundfile.read(io.BytesIO(answer.data), always_2d=True)[0])
    assert [len(part) for part in heard] == [7 * 44100, 5 * 44100, 2 * 44100]
    np.testing.assert_array_equal(heard[0], np.concatenate(heard[1:]))
    sheets = [client.get(f"/api/records/{record}/papers/order.cue?spec={spec}").text for spec in ("One", "Gapless")]
    assert "INDEX 01 00:05:00" in sheets[0] and sheets[0].count("FILE") == 1
    assert sheets[1].count("FILE") == 2 and "PREGAP" not in sheets[1]
    until(lambda: client.get(f"/api/records/{record}/heard").get_json(), lambda told: told["papers"])
    with client.get(f"/api/records/{record}/delivered.zip") as answer, zipfile.ZipFile(io.BytesIO(answer.data)) as told:
        assert {"Slack Water/One/01 Slack Water.wav", "Slack Water/One/Slack Water.cue"} <= set(told.namelist())
    # what lies otherwise is another record
    changed(client, record, "closer", lambda state: state["songs"][1].update(gap_s=1.0))
    assert all(row["changed"] for row in client.get(url).get_json())
    for cell, says in (
        ({"spec": "Gapless"}, "of one song"),
        ({"spec": "One", "song": songs[0]}, "of the whole record"),
    ):
        refused = client.post(url, json={"cells": [cell]})
        assert refused.status_code == 400 and says in refused.get_json()["problem"]


def test_a_cover_is_in_what_is_delivered_and_is_taken_off_again(client, record):
    picture = b"\x89PNG\r\n\x1a\n" + bytes(100)
    cover = client.post("/api/covers", data=picture).get_json()["cover"]
    with client.get(f"/api/covers/{cover}") as answer:
        assert (answer.mimetype, answer.data) == ("image/png", picture)
    assert changed(client, record, "a cover", lambda state: state.update(cover=cover)).get_json()["cover"] == cover
    song = client.get(f"/api/records/{record}").get_json()["songs"][0]["id"]
    url = f"/api/records/{record}/deliveries"
    client.post(url, json={"cells": [{"song": song, "spec": "Streaming"}, {"song": song, "spec": "CD-rate master"}]})
    row, _ = until(lambda: client.get(url).get_json(), lambda rows: all(row["state"] == "done" for row in rows))
    with client.get(f"/api/deliveries/{row['id']}/file") as answer:
        assert flac.FLAC(io.BytesIO(answer.data)).pictures[0].data == picture
    undone = client.post(f"/api/records/{record}/undo", json={}).get_json()
    assert undone["cover"] is None
    # the one would have no cover now, the other cannot hold any
    assert [row["changed"] for row in client.get(url).get_json()] == [True, False]


def test_a_cover_that_is_none_is_refused(client, record):
    for data, says in ((b"GIF89a", "neither PNG nor JPEG"), (bytes((8 << 20) + 1), "at most")):
        refused = client.post("/api/covers", data=data)
        assert refused.status_code == 400 and says in refused.get_json()["problem"]
    gone = changed(client, record, "a cover", lambda state: state.update(cover="0" * 64))
    assert gone.status_code == 400 and "not in the library" in gone.get_json()["problem"]
    for name in ("0" * 64, "%2e%2e%2flibrary.sqlite", "x"):
        assert client.get(f"/api/covers/{name}").status_code == 404


def test_notes_for_the_mix_are_in_the_sheet_until_they_are_ticked_off(client, record):
    song = client.get(f"/api/records/{record}").get_json()["songs"][0]["id"]
    for at_s, text in ((2.0, "the S is sharp <here>"), (None, "more room")):
        told = client.post(f"/api/songs/{song}/notes", json={"at_s": at_s, "text": text}).get_json()
    until(lambda: client.get(f"/api/records/{record}/heard").get_json(), lambda told: told["papers"])

    def sheet():
        return client.get(f"/api/records/{record}/papers/sheet.html").text

    first = sheet()
    assert "<td>0:02</td><td>the S is sharp &lt;here&gt;</td>" in first and "<td>song</td><td>more room</td>" in first
    note = next(note for note in told["own"] if note["text"] == "more room")
    client.put(f"/api/songs/{song}/notes", json={"id": note["id"], "text": "more room", "done": True})
    assert "more room" not in sheet()
    assert client.get(f"/api/records/{record}/papers/sheet.pdf").data.startswith(b"%PDF-")


def test_what_fails_says_why_and_is_made_again_when_asked(client, record):
    strict = {**DISC, "name": "Strict", "loudness": {"integrated_lufs": -40.0, "tolerance_lu": 0.1}}
    client.post("/api/specs", json={"spec": strict})
    song = client.get(f"/api/records/{record}").get_json()["songs"][0]["id"]
    url = f"/api/records/{record}/deliveries"
    ask = {"cells": [{"song": song, "spec": "Strict"}]}
    client.post(url, json=ask)
    (row,) = until(lambda: client.get(url).get_json(), lambda rows: rows[0]["state"] != "running")
    assert (row["state"], row["passed"]) == ("done", False)
    assert row["reasons"][0].startswith("loudness is −") and row["reasons"][0].endswith("−40.0 LUFS is asked for")
    assert client.post(url, json=ask).get_json()[0]["id"] != row["id"]


@pytest.mark.parametrize(
    ("path", "says"),
    [
        ("/papers/order.cue?spec=Streaming", "not all of the record is delivered by 'Streaming'"),
        ("/papers/order.cue?spec=Disc", "there is no spec 'Disc'"),
        ("/papers/letter.doc", "there is no paper 'letter.doc'"),
    ],
)
def test_papers_that_cannot_be_made_say_so(client, record, path, says):
    answer = client.get(f"/api/records/{record}{path}")
    assert answer.status_code in (400, 404)
    assert says in answer.get_json()["problem"]


def test_what_is_refused_of_a_record(client, record):
    assert client.get("/api/records/99").status_code == 404
    assert client.post("/api/records", json={"title": ""}).status_code == 400
    bad = client.post("/api/specs", json={"spec": {**DISC, "bits": 20}})
    assert bad.status_code == 400 and "bits" in bad.get_json()["problem"]
    url = f"/api/records/{record}/deliveries"
    assert client.post(url, json={"cells": [{"song": 99, "spec": "Streaming"}]}).status_code == 404
    assert client.post(url, json={"cells": [{"song": 1, "spec": "Nothing"}]}).status_code == 404
    taken = changed(client, record, "none", lambda state: state["songs"].pop())
    assert taken.status_code == 400 and "not the record's songs" in taken.get_json()["problem"]


def test_records_are_made_put_away_deleted_and_brought_back(client, record):
    made = client.post("/api/records", json={"title": "Tide Table", "artist": "Ferry Ticket Ensemble"}).get_json()["id"]
    client.post("/api/songs/1/record", json={"record": made})
    assert [song["title"] for song in client.get(f"/api/records/{made}").get_json()["songs"]] == ["Low Bridge"]
    rows = client.post(f"/api/records/{made}/archived", json={"on": True}).get_json()
    assert rows[1]["archived"]
    client.post(f"/api/records/{made}/deleted", json={"on": True})
    assert [song["title"] for song in client.get("/api/songs").get_json()] == ["Slack Water"]
    client.post(f"/api/records/{made}/deleted", json={"on": False})
    assert len(client.get("/api/songs").get_json()) == 2


def test_a_song_that_cannot_be_mastered_is_told_once_and_tried_again(app, client, record):
    here = app.extensions["tin_kettle"]
    (song, _) = client.get(f"/api/records/{record}").get_json()["songs"]
    sha256 = client.get(f"/api/songs/{song['id']}").get_json()["sources"]["mix"]["sha256"]
    path = here.library.folder("audio") / f"{sha256}.wav"
    whole = path.read_bytes()
    path.write_bytes(b"no sound")
    url = f"/api/records/{record}/playable"
    failed = until(lambda: client.get(url).get_json(), lambda told: told["state"] != "running")
    assert (failed["state"], bool(failed["problem"])) == ("failed", True)
    path.write_bytes(whole)
    assert until(lambda: client.get(url).get_json(), lambda told: told["state"] == "done")["frames"] > 0


def test_equal_loudness_waits_for_the_surveys_and_says_so(app, client, record):
    until(lambda: client.get(f"/api/records/{record}/playable").get_json(), lambda told: told["state"] == "done")
    here = app.extensions["tin_kettle"]
    with pytest.raises(KettleError, match="still being surveyed"):
        record_sound(here, record, "all", equal=True)


def test_trims_that_leave_nothing_are_refused_and_an_end_behind_the_song_is_its_own(client, record):
    until(lambda: client.get(f"/api/records/{record}/heard").get_json(), lambda told: told["work"] is None)
    answer = changed(client, record, "late", lambda state: state["songs"][0].update(start_s=50.0))
    assert answer.status_code == 400
    assert "'Low Bridge': from 50 s to 3 s nothing is left of a song of 3 s" in answer.get_json()["problem"]
    changed(client, record, "long", lambda state: state["songs"][0].update(end_s=50.0))
    first = next(iter(client.get(f"/api/records/{record}/heard").get_json()["songs"].values()))
    assert first["seconds"] == 3.0
    told = until(lambda: client.get(f"/api/records/{record}/playable").get_json(), lambda told: told["state"] == "done")
    assert told["ends"][0] == 3 * RATE_HZ


def test_a_song_keeps_how_it_lies_when_it_is_moved_to_another_record_and_back(client, record):
    laid = {"isrc": "ZZABC2600001", "gain_db": -2.0, "gap_s": 4.0, "fade_out_s": 0.5, "end_s": 2.0}
    changed(client, record, "laid", lambda state: state["songs"][0].update(laid))
    song = client.get(f"/api/records/{record}").get_json()["songs"][0]["id"]
    other = client.post("/api/records", json={"title": "Other"}).get_json()["id"]
    for place in (other, record):
        client.post(f"/api/songs/{song}/record", json={"record": place})
        (there,) = [one for one in client.get(f"/api/records/{place}").get_json()["songs"] if one["id"] == song]
        assert {name: there[name] for name in laid} == laid


def test_only_files_that_pass_are_in_the_archive(client, record):
    """A file that misses its loudness is made, listed with its reason, and not sent on."""
    client.post("/api/specs", json={"spec": {**DISC, "name": "Loud", "loudness": {"integrated_lufs": -3.0}}})
    songs = [song["id"] for song in client.get(f"/api/records/{record}").get_json()["songs"]]
    url = f"/api/records/{record}/deliveries"
    client.post(url, json={"cells": [{"song": song, "spec": "Loud"} for song in songs]})
    done = until(lambda: client.get(url).get_json(), lambda rows: all(row["state"] == "done" for row in rows))
    assert not any(row["passed"] for row in done)
    until(lambda: client.get(f"/api/records/{record}/heard").get_json(), lambda told: told["papers"])
    refused = client.get(f"/api/records/{record}/delivered.zip")
    assert refused.status_code == 400 and "no delivered file passes its checks" in refused.get_json()["problem"]
    client.post(url, json={"cells": [{"song": songs[0], "spec": "24-bit archive"}]})
    until(lambda: client.get(url).get_json(), lambda rows: all(row["state"] == "done" for row in rows))
    with client.get(f"/api/records/{record}/delivered.zip") as answer, zipfile.ZipFile(io.BytesIO(answer.data)) as told:
        assert [name for name in told.namelist() if name.endswith(".wav")] == [
            "Slack Water/24-bit archive/01 Low Bridge.wav"
        ]


@pytest.mark.parametrize("code", ["abc", "ZZABC260000", "zzabc2600001"])
def test_a_code_that_is_none_is_refused_with_what_one_is(client, record, code):
    answer = changed(client, record, "code", lambda state: state["songs"][0].update(isrc=code))
    assert answer.status_code == 400
    assert f"isrc '{code}' is none; two letters" in answer.get_json()["problem"]
