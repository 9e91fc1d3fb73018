"""Disks that are full, databases that are held or damaged, sound that cannot be read: told in words, and it goes on."""

import contextlib
import errno
import json
import os
import shutil
import sqlite3
import threading
import time
from pathlib import Path

import numpy as np
import pytest
import soundfile
from simple_websocket import ConnectionClosed

from tests.conftest import PATIENCE_S, RATE_HZ, noise, recipe_of, tone
from tests.web.conftest import until
from tests.web.test_session import Wire, gain, say
from tests.web.test_session import until as soon
from tin_kettle.core.engine.live.audition import Audition
from tin_kettle.core.engine.source import ArraySource
from tin_kettle.core.errors import AudioError, LibraryError, StorageError
from tin_kettle.core.recipe.reading import dump_recipe
from tin_kettle.store import backup, cleanup, database, prints
from tin_kettle.store.database import Library
from tin_kettle.store.songs import list_songs
from tin_kettle.store.sources import keep_source, load_waveform, receive
from tin_kettle.web import maintenance
from tin_kettle.web.jobs import Job
from tin_kettle.web.own_process import OwnProcess
from tin_kettle.web.session import Session
from tin_kettle.web.surveys import names_to_keep

TRIM = recipe_of({"id": "t", "kind": "trim", "params": {"gain_db": -3}})


def hold(library):
    """Another program that writes to the database and does not let go."""
    db = sqlite3.connect(library.home / "library.sqlite", isolation_level=None)
    db.execute("BEGIN IMMEDIATE")
    return db


def test_a_held_database_is_told_and_reading_goes_on(client, song, library, monkeypatch):
    monkeypatch.setattr(database, "PATIENCE_S", 0.1)
    base = client.get(f"/api/songs/{song}").get_json()["revision"]["id"]
    other = hold(library)
    answer = client.put(f"/api/songs/{song}/recipe", json={"base": base, "label": "x", "recipe": dump_recipe(TRIM)})
    assert (answer.status_code, "another program holds" in answer.get_json()["problem"]) == (507, True)
    assert client.get(f"/api/songs/{song}").status_code == 200
    other.close()
    answer = client.put(f"/api/songs/{song}/recipe", json={"base": base, "label": "x", "recipe": dump_recipe(TRIM)})
    assert answer.status_code == 200


def test_a_full_disk_says_what_is_missing(client, song, library, monkeypatch):
    def full(*_given):
        raise OSError(errno.ENOSPC, "No space left on device", str(library.home / "incoming/x.part"))

    monkeypatch.setattr("tin_kettle.web.sources.receive", full)
    answer = client.post("/api/sources?name=a.wav", data=b"x")
    problem = answer.get_json()["problem"]
    assert (answer.status_code, str(library.home) in problem) == (507, False)
    assert "is full" in problem and "MB of room" in problem
    with pytest.raises(StorageError, match="is full"), library.writing() as db:
        db.execute("PRAGMA max_page_count = 1")
        for number in range(4000):
            db.execute("INSERT INTO records (title) VALUES (?)", (f"{number}" * 50,))
    assert client.get("/api/songs").status_code == 200


def test_a_print_whose_end_cannot_be_noted_waits_for_the_database_and_the_next_one_does_not(
    client, song, library, monkeypatch
):
    monkeypatch.setattr(database, "PATIENCE_S", 0.05)
    first = client.post(f"/api/songs/{song}/prints", json={}).get_json()["id"]
    other = hold(library)
    time.sleep(0.1)
    until((library.folder("prints") / f"{first}.json").exists, bool)
    time.sleep(0.5)
    assert client.get(f"/api/prints/{first}").get_json()["state"] == "running"
    other.close()
    second = client.post(f"/api/songs/{song}/prints", json={}).get_json()["id"]
    for number in (second, first):
        until(lambda number=number: client.get(f"/api/prints/{number}").get_json(), lambda row: row["state"] == "done")


def test_a_job_whose_owner_fails_does_not_end_the_lane(library, tmp_path, wav):
    source = wav(tone(1000, -12, 0.5))
    files = {"sources": {"mix": str(source)}, "out": str(tmp_path / "s.npz")}
    task = {"do": "survey", "recipe": dump_recipe(recipe_of()), **files}

    def fail(_job):
        raise RuntimeError("the owner is confused")

    lane, noted = OwnProcess(), threading.Event()
    jobs = [Job(1, task, fail), Job(2, task, lambda _job: noted.set())]
    for job in jobs:
        lane.start(job)
    assert noted.wait(PATIENCE_S)
    soon(lambda: [job.state for job in jobs] == ["done", "done"])
    lane._process.kill()
    lane._process.wait()


def test_whole_song_work_waits_for_whoever_else_is_ready_to_run(wav, tmp_path):
    lane, files = OwnProcess(), {"sources": {"mix": str(wav(tone(1000, -12, 0.5)))}, "out": str(tmp_path / "s.npz")}
    job = Job(1, {"do": "survey", "recipe": dump_recipe(recipe_of()), **files}, lambda _job: None)
    lane.start(job)
    soon(lambda: job.state == "done")
    threads = Path(f"/proc/{lane._process.pid}/task").iterdir()
    assert {os.sched_getscheduler(int(thread.name)) for thread in threads} == {os.SCHED_IDLE}
    lane._process.kill()
    lane._process.wait()


def test_a_complete_print_is_done_after_a_restart_and_an_incomplete_one_is_not(client, song, library):
    done = client.post(f"/api/songs/{song}/prints", json={}).get_json()["id"]
    until(lambda: client.get(f"/api/prints/{done}").get_json(), lambda row: row["state"] == "done")
    measures = prints.get_print(library, done).measures
    begun = prints.add_print(library, song, 1, "b.wav", {"bits": "24"})
    with library.writing() as db:
        db.execute("UPDATE prints SET state = 'running', measures = NULL WHERE id = ?", (done,))
    prints.settle_orphans(library)
    assert (prints.get_print(library, done).state, prints.get_print(library, done).measures) == ("done", measures)
    assert prints.get_print(library, begun).state == "stopped"


def test_a_failed_survey_says_why_and_is_tried_again_when_asked(client, song, library):
    (path,) = library.folder("audio").glob("*.wav")
    whole = path.read_bytes()
    path.write_bytes(whole[:5000])
    url = f"/api/songs/{song}/survey"
    failed = until(lambda: client.get(url).get_json(), lambda found: found["state"] == "failed")
    assert "cut short" in failed["problem"] and str(library.home) not in failed["problem"]
    path.write_bytes(whole)
    assert client.get(url).get_json()["state"] == "failed", "not by itself: it would fail for ever"
    client.post(url)
    until(lambda: client.get(url).get_json(), lambda found: found["state"] == "done")


def test_what_was_derived_and_is_damaged_is_made_again(client, song, library):
    url = f"/api/songs/{song}/survey"
    until(lambda: client.get(url).get_json(), lambda found: found["state"] == "done")
    drawn = client.get(f"/api/songs/{song}/waveform?columns=50").get_json()
    for folder in ("surveys", "waveforms"):
        for path in library.folder(folder).iterdir():
            path.write_bytes(path.read_bytes()[:300])
    client.application.extensions["tin_kettle"].surveys._loaded.clear()
    assert client.get(f"/api/songs/{song}/waveform?columns=50").get_json() == drawn
    until(lambda: client.get(url).get_json(), lambda found: found["state"] == "done")


class Fragile(ArraySource):
    """Cannot be read from one second to two."""

    def read(self, start, frames):
        if start + frames > RATE_HZ and start < 2 * RATE_HZ:
            raise AudioError("in.wav cannot be read at 1.000 s; copy it again")
        return super().read(start, frames)


def test_sound_that_cannot_be_read_is_told_once_and_plays_on_where_it_can():
    wire = Wire()
    session = Session(Audition(recipe_of(), {"mix": Fragile(tone(1000, -12, 5), RATE_HZ)}), wire)
    thread = threading.Thread(target=session.run)
    thread.start()
    for position in (48000, 60000, 70000):
        say(session, type="credit", epoch=0, position=position, heard=0)
        soon(lambda: any(text["type"] == "problem" for text in wire.texts))
        time.sleep(0.1)
    assert len([text for text in wire.texts if text["type"] == "problem"]) == 1
    say(session, type="seek", song=4 * RATE_HZ)
    soon(lambda: wire.blocks and wire.blocks[-1][2] >= 4 * RATE_HZ)
    session.close()
    thread.join(PATIENCE_S)
    assert not thread.is_alive()


def test_sound_that_fails_again_and_again_ends_with_a_reason():
    wire = Wire()
    session = Session(Audition(recipe_of(), {"mix": Fragile(tone(1000, -12, 5), RATE_HZ)}), wire)
    thread = threading.Thread(target=session.run)
    thread.start()
    say(session, type="credit", epoch=0, position=60000, heard=0)
    end = time.monotonic() + PATIENCE_S
    while thread.is_alive():  # a turn in which nothing was to be rendered is no success
        assert time.monotonic() < end
        with contextlib.suppress(ConnectionClosed):
            say(session, type="choose", stage="t")
        thread.join(1.5)
    assert wire.texts[-1]["fatal"] and "cannot be read at 1.000 s" in wire.texts[-1]["problem"]


def test_one_refused_message_harms_nothing_else():
    wire = Wire()
    session = Session(Audition(recipe_of(), {"mix": ArraySource(tone(1000, -12, 5), RATE_HZ)}), wire)
    with session._wake:  # all of it comes in one turn
        say(session, type="loop", loop=[5, 5], heard=0)
        say(session, type="edit", recipe=gain(-6), revision=3, heard=0)
        say(session, type="choose", stage="t")
    thread = threading.Thread(target=session.run)
    thread.start()
    say(session, type="credit", epoch=0, position=4000, heard=0)
    soon(lambda: wire.blocks and wire.blocks[-1][3] == 3)
    session.close()
    thread.join(PATIENCE_S)
    # whoever sends nothing but nonsense is let go
    with pytest.raises(Exception, match=r"."):
        for _ in range(60):
            session.hear("{")
    assert wire.texts[-1]["fatal"]


def test_orphans_are_swept_and_what_is_needed_stays(client, song, library):
    for name in ("incoming/a.part", "audio/b.part", "prints/c.wav.part", "audio/beef.wav", "audio/beef-44100.wav"):
        (library.home / name).write_bytes(b"x")
    cleanup.sweep(library, time.time() - 3600.0)
    assert (library.home / "incoming/a.part").exists(), "its writer may be at work"
    cleanup.sweep(library, time.time() + 1.0)
    assert not list(library.home.rglob("*.part"))
    assert [path.suffix for path in library.folder("audio").iterdir()] == [".wav"]
    assert client.get(f"/api/songs/{song}/waveform").status_code == 200


def test_what_comes_in_while_the_server_starts_is_not_swept_away(library, song, monkeypatch):
    left = [library.home / name for name in ("incoming/left.part", "audio/beef.wav")]
    coming = [library.home / name for name in ("incoming/coming.part", "audio/feed.wav")]
    begun_s = time.time()
    for path in left + coming:
        path.write_bytes(b"x")
    for path in left:
        os.utime(path, (begun_s - 60.0, begun_s - 60.0))

    def rest(_seconds):
        raise InterruptedError("an hour")

    monkeypatch.setattr(maintenance.time, "sleep", rest)
    with pytest.raises(InterruptedError):
        maintenance.look_after(library, begun_s)
    assert not any(path.exists() for path in left)
    assert all(path.exists() for path in coming), "a song that comes in at the first moment is taken"


def test_surveys_have_a_limit_and_those_of_versions_stay(client, song, library):
    url = f"/api/songs/{song}/survey"
    until(lambda: client.get(url).get_json(), lambda found: found["state"] == "done")
    needed = {path.name for path in library.folder("surveys").iterdir()}
    for number in range(4):
        (library.folder("surveys") / f"old{number}.npz").write_bytes(b"x" * 1000)
    os.utime(library.folder("surveys") / "old0.npz", (time.time() + 60, time.time() + 60))
    maintenance.take_care(library, time.time() + 60.0)
    assert len(list(library.folder("surveys").iterdir())) == len(needed) + 4, "there is room"
    size = sum(path.stat().st_size for path in library.folder("surveys").iterdir())
    cleanup.sweep_made(library, "surveys", names_to_keep(library), size - 2500)
    left = {path.name for path in library.folder("surveys").iterdir()}
    assert needed <= left and "old0.npz" in left and len(left) == len(needed) + 1


def test_a_damaged_database_is_told_at_the_start_and_a_copy_of_it_is_put_back(library, tmp_path, wav):
    data = wav(noise(-20, 1.0)).read_bytes()
    keep_source(library, *receive(library, iter([data])), "in.wav")
    with library.writing() as db:
        db.execute("INSERT INTO records (title) VALUES ('Harbour Songs')")
    copied = backup.back_up(library)
    home = tmp_path / "again"
    shutil.copytree(library.home, home)
    path = home / "library.sqlite"
    for log in ("-wal", "-shm"):
        (home / f"library.sqlite{log}").unlink(missing_ok=True)
    damaged = bytearray(shutil.copyfile(copied, path).read_bytes())
    damaged[4096:40000] = bytes(40000 - 4096)
    path.write_bytes(damaged)
    with pytest.raises(LibraryError, match="restore"):
        Library(home)
    assert backup.restore(home) == copied.stem
    again = Library(home)
    with again.reading() as db:
        assert db.execute("SELECT title FROM records").fetchone()[0] == "Harbour Songs"
    assert list_songs(again) == []


def test_a_view_nested_too_deep_is_refused_and_one_that_was_kept_is_left_out(client, song, library):
    view = {}
    for _ in range(300):
        view = {"in": view}
    url = f"/api/songs/{song}"
    answer = client.put(f"{url}/view", data=json.dumps(view), content_type="application/json")
    assert answer.status_code == 400 and "nested deeper than 64" in answer.text
    with library.writing() as db:
        db.execute("UPDATE songs SET view = ?", (json.dumps(view),))
    assert client.get(url).get_json()["view"] == {}


def test_a_waveform_is_drawn_again_where_it_was_lost(library, wav):
    kept = keep_source(library, *receive(library, iter([wav(noise(-20, 1.0)).read_bytes()])), "in.wav")
    before = load_waveform(library, kept.sha256).finest
    (library.folder("waveforms") / f"{kept.sha256}.npz").unlink()
    np.testing.assert_array_equal(load_waveform(library, kept.sha256).finest, before)
    assert soundfile.info(str(next(library.folder("audio").iterdir()))).frames == RATE_HZ
