"""A library that lost its database, or was put back to an earlier hour, loses nothing else."""

import shutil
import sqlite3
import time
from datetime import UTC, datetime, timedelta
from multiprocessing import get_context

import numpy as np
import pytest

from tests.conftest import noise
from tin_kettle.core.errors import LibraryError
from tin_kettle.store import backup, cleanup
from tin_kettle.store.database import Library
from tin_kettle.store.lock import library_lock
from tin_kettle.store.sources import keep_source, receive

LATER_S = 60.0


@pytest.fixture
def source(library, wav):
    return keep_source(library, *receive(library, iter([wav(noise(-20, 0.2)).read_bytes()])), "in.wav")


def sounds(library):
    return {path.name for path in library.folder("audio").iterdir()}


def title_of(database):
    with sqlite3.connect(database) as db:
        return [title for (title,) in db.execute("SELECT title FROM records").fetchall()]


def add_record(library, title):
    with library.writing() as db:
        db.execute("INSERT INTO records (title) VALUES (?)", (title,))


def lose_database(home):
    for path in home.glob("library.sqlite*"):
        path.unlink()


def test_sounds_without_a_database_do_not_start_without_a_word_and_stay(library, source):
    before = sounds(library)
    lose_database(library.home)
    with pytest.raises(LibraryError, match=r"holds sounds \(1\), and its database is missing; .*restore.*--new"):
        Library(library.home)
    (library.home / "library.sqlite").touch()
    with pytest.raises(LibraryError, match="its database is missing"):
        Library(library.home)
    new = Library(library.home, new=True)
    cleanup.sweep(new, time.time() + LATER_S)
    assert sounds(new) == before, "a database that knows nothing says nothing of what is needed"
    Library(library.home)


def test_what_looks_needless_lies_in_the_trash_for_thirty_days(library, source, monkeypatch):
    stray = library.folder("audio") / "beef.wav"
    stray.write_bytes(b"x")
    cleanup.sweep(library, time.time() + LATER_S)
    trash = library.folder("trash") / "beef.wav"
    assert not stray.exists() and trash.read_bytes() == b"x"
    now = time.time()
    for days, there in ((29, True), (31, False)):
        monkeypatch.setattr(cleanup.time, "time", lambda days=days: now + days * 24 * 3600)
        cleanup.sweep(library, now + LATER_S)
        assert trash.exists() == there, f"{days} days"


def test_a_restored_library_keeps_its_last_work_and_every_sound(library, source, wav):
    add_record(library, "Harbour Songs")
    backup.back_up(library)
    reader = sqlite3.connect(library.home / "library.sqlite")  # held open, so that the log is not written home
    add_record(library, "The last work")
    later = keep_source(library, *receive(library, iter([wav(noise(-18, 0.2)).read_bytes()])), "later.wav")
    before = sounds(library)
    saved = library.home.parent / "saved"
    shutil.copytree(library.home, saved)
    reader.close()
    for turn in (1, 2):
        backup.restore(saved)
        assert title_of(saved / "library.sqlite") == ["Harbour Songs"]
        aside = saved / f"library.sqlite.damaged-{turn}"
        assert title_of(aside) == (["Harbour Songs", "The last work"] if turn == 1 else ["Harbour Songs"])
    again = Library(saved)
    cleanup.sweep(again, time.time() + LATER_S)
    assert sounds(again) == before, f"{later.sha256} may be wanted once the set-aside database is mended"
    for path in backup.damaged_databases(saved):
        path.unlink()
    cleanup.sweep(again, time.time() + LATER_S)
    assert sounds(again) < before


def test_sounds_come_out_of_the_trash_with_the_database_that_knows_them(library, source, wav):
    backup.back_up(library)
    keep_source(library, *receive(library, iter([wav(noise(-18, 0.2)).read_bytes()])), "other.wav")
    before = sounds(library)
    with library.writing() as db:
        db.execute("DELETE FROM sources WHERE sha256 = ?", (source.sha256,))
    cleanup.sweep(library, time.time() + LATER_S)
    assert sounds(library) < before
    backup.restore(library.home)
    assert sounds(library) == before


def test_a_copy_is_made_for_each_hour_of_work_and_of_no_other(library):
    start = datetime.now(UTC)
    hour = timedelta(hours=1)
    add_record(library, "One")
    assert backup.back_up(library, start) is not None
    assert backup.back_up(library, start + hour) is None, "nothing was written"
    time.sleep(0.02)
    add_record(library, "Two")
    assert backup.back_up(library, start) is None, "this hour has its copy"
    second = backup.back_up(library, start + hour)
    assert second is not None and title_of(second) == ["One", "Two"]
    assert len(backup.list_copies(library.home, start + hour)) == 2
    with pytest.raises(LibraryError, match="there is no copy of 2020-01-01; there are: 2"):
        backup.restore(library.home, "2020-01-01")
    assert backup.restore(library.home) == f"{start:%Y-%m-%dT%H}", "a copy of the future is a clock's mistake"


def test_a_damaged_database_gives_no_copy(library):
    for number in range(400):
        add_record(library, f"Record {number}" * 20)
    with library.writing() as db:
        root = db.execute("SELECT rootpage FROM sqlite_master WHERE name = 'records'").fetchone()[0]
    path = library.home / "library.sqlite"
    with sqlite3.connect(path) as db:
        db.execute("PRAGMA wal_checkpoint(TRUNCATE)")
    with path.open("r+b") as file:
        file.seek((root - 1) * 4096 + 8)
        file.write(b"\xff" * 64)
    with pytest.raises(LibraryError, match="no copy of it is kept"):
        backup.back_up(library)
    assert not list(library.folder("backups").iterdir())


@pytest.mark.parametrize("seed", range(20))
def test_copies_kept_are_the_newest_of_hours_days_and_weeks(seed):
    random = np.random.default_rng(seed)
    now = datetime(2026, 12, 1, 9, tzinfo=UTC)
    made: list[str] = []
    for hours in sorted(random.choice(24 * 120, int(random.integers(1, 900)), replace=False), reverse=True):
        made.append(f"{now - timedelta(hours=int(hours)):%Y-%m-%dT%H}")
    kept = sorted(backup.to_keep(made))
    assert set(sorted(made)[-backup.HOURS :]) <= set(kept)
    for period, most in ((lambda name: name[:10], backup.DAYS), (backup._week, backup.WEEKS)):
        for last in sorted({period(name) for name in made})[-most:]:
            assert max(name for name in made if period(name) == last) in kept
    assert len(kept) <= backup.HOURS + backup.DAYS + backup.WEEKS
    assert backup.to_keep(kept) == set(kept), "what is kept stays kept until something newer comes"


def _hold(home, ready, leave):
    with library_lock(home):
        ready.set()
        leave.wait()


def test_one_process_holds_a_library_and_says_who_it_is(library):
    context = get_context("spawn")
    ready, leave = context.Event(), context.Event()
    other = context.Process(target=_hold, args=(library.home, ready, leave))
    other.start()
    ready.wait()
    for _ in range(2):
        with pytest.raises(LibraryError, match=f"in use by process {other.pid} on "), library_lock(library.home):
            pass
    other.kill()
    other.join()
    with library_lock(library.home):
        assert "process" in (library.home / "lock").read_text()


def test_what_goes_wrong_while_a_library_is_locked_is_not_taken_for_a_bad_folder(library):
    with pytest.raises(ConnectionError), library_lock(library.home):
        raise ConnectionError
    (library.home / "file").touch()
    with pytest.raises(LibraryError, match="cannot be used as a library"), library_lock(library.home / "file"):
        pass
