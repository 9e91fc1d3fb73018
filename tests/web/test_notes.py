"""Notes on a song: one's own, those for the mix, ticked off, handed on as text and as a table."""

import csv
import io

import numpy as np
import pytest

from tests.conftest import RATE_HZ, music, write_wav
from tests.web.conftest import until


@pytest.fixture
def faulty(client, tmp_path):
    """A song with a constant offset and a loud left side, which belong to the mix."""
    sound = music(8.0) * np.array([[0.5], [0.3]]) + 0.02
    data = write_wav(tmp_path / "in.wav", sound, RATE_HZ).read_bytes()
    sha256 = client.post("/api/sources?name=in.wav", data=data).get_json()["sha256"]
    return client.post("/api/songs", json={"title": "=Faulty", "sha256": sha256}).get_json()["id"]


def test_notes_are_kept_in_order_changed_and_thrown_away(client, faulty):
    url = f"/api/songs/{faulty}/notes"
    for at_s, text in ((4.5, "S too sharp"), (None, "send stems next time"), (1.0, "  kick late  ")):
        told = client.post(url, json={"at_s": at_s, "text": text}).get_json()["own"]
    assert [(note["at_s"], note["text"]) for note in told] == [
        (None, "send stems next time"),
        (1.0, "kick late"),
        (4.5, "S too sharp"),
    ]
    changed = client.put(url, json={"id": told[1]["id"], "text": "kick early", "done": True}).get_json()["own"]
    assert (changed[1]["text"], changed[1]["done"]) == ("kick early", True)
    assert len(client.post(f"{url}/remove", json={"id": told[0]["id"]}).get_json()["own"]) == 2
    assert client.post(url, json={"text": "   "}).status_code == 404
    assert client.put(url, json={"id": 99, "text": "x", "done": True}).status_code == 404
    assert client.post("/api/songs/99/notes", json={"text": "x"}).status_code == 404


def test_what_belongs_to_the_mix_is_listed_ticked_off_and_handed_on(client, faulty):
    url = f"/api/songs/{faulty}/notes"
    client.post(url, json={"at_s": 65.0, "text": "=loud here"})
    found = until(lambda: client.get(url).get_json()["found"], lambda found: found is not None)
    assert {"lopsided", "offset"} <= {note["id"] for note in found}
    ticked = client.post(f"{url}/tick", json={"finding": "lopsided", "done": True}).get_json()["found"]
    assert [note["id"] for note in ticked if note["done"]] == ["lopsided"]
    text = client.get(f"{url}/for-mix").text
    assert "[x]  song  left " in text
    assert "[ ]  1:05  =loud here" in text
    rows = list(csv.reader(io.StringIO(client.get(f"{url}/for-mix?format=csv").text)))
    assert rows[0] == ["song", "seconds", "time", "note", "done"]
    assert ["'=Faulty", "65.00", "1:05", "'=loud here", "no"] in rows
    again = client.post(f"{url}/tick", json={"finding": "lopsided", "done": False}).get_json()["found"]
    assert not any(note["done"] for note in again)
