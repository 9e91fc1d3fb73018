"""``page``: one file that holds everything, the same bytes again, and nothing half-written."""

import base64
import io
import json
import re
from pathlib import Path

import numpy as np
import pytest
import soundfile

from tests.cli.running import run
from tests.conftest import RATE_HZ, noise, tone, write_wav
from tin_kettle.core.deliver.listening_page.document import Page

ROOM = {"id": "r", "kind": "room", "mix": 0.5, "params": {"decay_s": 0.5}}
LOUD = {"id": "t", "kind": "trim", "params": {"gain_db": 6}}
NASTY = "</script><img src=x onerror=alert(1)> \"quoted\" & 'so' \u2028 مرحبا 🎶"


@pytest.fixture
def folder(tmp_path):
    write_wav(tmp_path / "low.wav", tone(1000, -26, 2.0))
    write_wav(tmp_path / "short.wav", noise(-30, 1.0))
    for name, master in {"loud": [LOUD], "room": [LOUD, ROOM]}.items():
        document = {"format": "tin-kettle-recipe", "version": 1, "master": master}
        (tmp_path / f"{name}.json").write_text(json.dumps(document))
    return tmp_path


def document(*takes, **more):
    song = {"title": "Low Bridge", "sections": [{"name": "Verse", "at_s": 0.5}], "takes": list(takes)}
    return {"format": "tin-kettle-page", "version": 1, "title": "Slack Water", "songs": [song], **more}


RECEIVED = {"name": "Received", "file": "low.wav"}
MASTER = {"name": "Master 2", "file": "low.wav", "recipe": "loud.json"}


def make(folder, about, *options):
    (folder / "page.json").write_text(json.dumps(about))
    return run("page", "page.json", "--out", "page.html", "--json", *options, cwd=folder)


def takes_of(text):
    found = re.findall(
        r'<script type="application/octet-stream" data-song="(\d+)" data-take="(\d+)" data-gain-db="(-?[\d.]+)" '
        r'data-coding="(\w+)">([A-Za-z0-9+/=]*)</script>',
        text,
    )
    return [
        (int(s), int(t), float(gain), coding, soundfile.read(io.BytesIO(base64.b64decode(sound)), always_2d=True)[0].T)
        for s, t, gain, coding, sound in found
    ]


def test_a_page_holds_its_takes_in_time_and_equally_loud(folder):
    about = document(
        RECEIVED, MASTER, {"name": "Room", "file": "low.wav", "recipe": "room.json"}, artist="Ferry Ticket Ensemble"
    )
    done = make(folder, about)
    assert done.returncode == 0, done.stderr
    told, text = json.loads(done.stdout), (folder / "page.html").read_text()
    assert set(told) == {"file", "bytes", "sha256", "id", "songs"}
    assert told["bytes"] == (folder / "page.html").stat().st_size
    (song,) = told["songs"]
    assert [set(take) for take in song["takes"]] == [{"name", "lufs", "gain_db", "frames", "rate_hz"}] * 3
    received, master, room = takes_of(text)
    assert [take[:2] for take in (received, master, room)] == [(0, 0), (0, 1), (0, 2)]
    assert received[2] == 0.0 and master[2] == pytest.approx(-6.0, abs=0.02)
    assert [take["gain_db"] for take in song["takes"]] == [received[2], master[2], room[2]]
    assert [take["lufs"] + take["gain_db"] for take in song["takes"]] == pytest.approx(
        [song["takes"][0]["lufs"]] * 3, abs=0.02
    )
    lengths = {take[4].shape[1] for take in (received, master, room)}
    assert len(lengths) == 1 and lengths.pop() > 2.4 * RATE_HZ, "as long as the longest, which rings on"
    source = soundfile.read(folder / "low.wav", always_2d=True)[0].T
    np.testing.assert_array_equal(received[4][:, : source.shape[1]], source)
    assert not received[4][:, source.shape[1] :].any()
    np.testing.assert_allclose(master[4][:, :96000], source * 10 ** (6 / 20), atol=2**-22)
    policy = re.search(r'http-equiv="Content-Security-Policy" content="([^"]*)"', text)[1]
    assert policy.startswith("default-src &#x27;none&#x27;") or policy.startswith("default-src 'none'")
    assert "sha256-" in policy and "unsafe" not in policy
    assert not re.search(r'(src|href)="(https?:)?//', text)


def test_the_same_input_gives_the_same_bytes_and_rounds_one_id(folder):
    first = json.loads(make(folder, document(RECEIVED, MASTER)).stdout)
    again = json.loads(make(folder, document(RECEIVED, MASTER)).stdout)
    assert first == again
    later = json.loads(make(folder, document(RECEIVED, MASTER, {**MASTER, "name": "Master 3"})).stdout)
    assert later["id"] == first["id"] and later["sha256"] != first["sha256"]


@pytest.mark.parametrize(("coding", "kind"), [("flac16", "PCM_16"), ("opus", "OPUS")])
def test_codings(folder, coding, kind):
    assert make(folder, document(RECEIVED, coding=coding)).returncode == 0
    text = (folder / "page.html").read_text()
    sound = re.search(r"data-coding=\"\w+\">([A-Za-z0-9+/=]*)<", text)[1]
    assert soundfile.info(io.BytesIO(base64.b64decode(sound))).subtype == kind
    before = (folder / "page.html").read_bytes()
    make(folder, document(RECEIVED, coding=coding))
    assert (folder / "page.html").read_bytes() == before


def test_without_a_match_each_take_keeps_its_level(folder):
    told = json.loads(make(folder, document(RECEIVED, MASTER, match=False)).stdout)
    assert [take["gain_db"] for take in told["songs"][0]["takes"]] == [0.0, 0.0]


def test_no_text_can_leave_its_place(folder):
    about = document({**RECEIVED, "name": NASTY[:100]}, title=NASTY, artist=NASTY, message=NASTY)
    about["songs"][0]["title"] = NASTY
    assert make(folder, about).returncode == 0
    text = (folder / "page.html").read_text()
    assert "<img" not in text
    data = json.loads(re.search(r'<script type="application/json" id="page">(.*?)</script>', text)[1])
    assert data["title"] == data["artist"] == data["message"] == data["songs"][0]["title"] == NASTY
    assert len(re.findall("<script", text)) == len(re.findall("</script>", text)) == 3


@pytest.mark.parametrize(
    ("change", "says"),
    [
        (lambda d: d["songs"][0]["takes"].append({"name": "Gone", "file": "gone.wav"}), "gone.wav"),
        (lambda d: d["songs"][0]["takes"].append({"name": "Other", "file": "other.wav"}), "different rates"),
        (lambda d: d["songs"][0].update(takes=[]), "takes"),
        (lambda d: d.update(songs=[]), "songs"),
        (lambda d: d.update(colour="red"), "'colour' is not known"),
        (lambda d: d["songs"][0]["takes"].append({**RECEIVED}), "called 'Received'"),
        (lambda d: d["songs"][0]["takes"].append({**MASTER, "name": "Bad", "recipe": "bad.json"}), "bad.json"),
        (lambda d: d["songs"][0]["takes"].append({**MASTER, "name": "Buses", "recipe": "buses.json"}), "2 buses"),
        (lambda d: d.update(version=2), "version"),
    ],
)
def test_what_is_refused_says_why_in_a_line_and_leaves_no_file(folder, change, says):
    write_wav(folder / "other.wav", noise(-20, 0.5, 44100), 44100)
    (folder / "bad.json").write_text("{")
    buses = {"format": "tin-kettle-recipe", "version": 1, "buses": [{"id": "a"}, {"id": "b"}]}
    (folder / "buses.json").write_text(json.dumps(buses))
    about = document(RECEIVED)
    change(about)
    done = make(folder, about)
    assert done.returncode == 2 and done.stderr.count("\n") == 1 and says in done.stderr, done.stderr
    assert not list(folder.glob("*page.html*"))


def test_the_shipped_schema_is_the_codes():
    shipped = json.loads(Path("docs/page.schema.json").read_text(encoding="utf-8"))
    assert shipped == Page.model_json_schema()
