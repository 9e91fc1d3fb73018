"""The library keeps everything: sources by content, every revision, prints; nothing half-done."""

import sqlite3

import numpy as np
import pytest

from tests.conftest import noise, recipe_of
from tin_kettle.core.errors import AudioError, Conflict, LibraryError, RecipeError
from tin_kettle.core.recipe.model import empty_recipe
from tin_kettle.core.recipe.reading import dump_recipe
from tin_kettle.store import deliveries, prints, songs
from tin_kettle.store.database import Library
from tin_kettle.store.records import list_records
from tin_kettle.store.sources import find_source, keep_source, load_waveform, receive, song_sources, source_path


def bring(library, path, name=None):
    with path.open("rb") as file:
        incoming, sha256 = receive(library, iter(lambda: file.read(4096), b""))
    return keep_source(library, incoming, sha256, name or path.name)


@pytest.fixture
def song(library, wav):
    source = bring(library, wav(noise(-20, 0.5)))
    return songs.add_song(library, "Slack Water", "Low Bridge", {"mix": source}, empty_recipe())


def with_gain(gain):
    return dump_recipe(recipe_of({"id": "t", "kind": "trim", "params": {"gain_db": gain}}))


def gain_of(revision):
    return revision.recipe.master[0].params.gain_db if revision.recipe.master else None


def test_a_source_is_kept_once_with_its_waveform(library, wav):
    x = noise(-20, 1.0)
    path = wav(x)
    kept = bring(library, path, "My bounce.wav")
    assert (kept.rate_hz, kept.channels, kept.frames, kept.name) == (48000, 2, 48000, "My bounce.wav")
    assert source_path(library, kept).read_bytes() == path.read_bytes()
    assert bring(library, path, "again.wav") == kept
    assert load_waveform(library, kept.sha256).columns(0, 48000, 10)[1].max() == pytest.approx(x.max(), rel=1e-5)
    assert not list(library.folder("incoming").iterdir())


def test_a_refused_file_leaves_nothing_and_is_called_by_its_own_name(library, wav, tmp_path):
    bad = noise(-20, 0.5)
    bad[0, 100] = np.nan
    text = tmp_path / "notes.txt"
    text.write_text("hello")
    for path, message in (
        (wav(bad, "bad.wav", subtype="FLOAT"), "take 3.wav has a sample"),
        (text, "take 3.wav is not"),
    ):
        with pytest.raises(AudioError, match=message):
            bring(library, path, "take 3.wav")
    assert not [path for name in ("incoming", "audio", "waveforms") for path in library.folder(name).iterdir()]


def test_a_file_of_absurd_length_is_refused(library, tmp_path):
    import soundfile

    path = tmp_path / "long.flac"
    with soundfile.SoundFile(str(path), "w", 8000, 1, subtype="PCM_16") as file:
        for _ in range(4):
            file.write(np.zeros(8000 * 3600, dtype=np.int16))
    with pytest.raises(AudioError, match=r"long\.flac is 4\.0 hours long; at most 3 are allowed"):
        bring(library, path)


def test_undo_and_redo_walk_the_revisions_across_restarts(library, song):
    for gain in (1.0, 2.0, 3.0):
        base = songs.current_revision(library, song).id
        songs.save_revision(library, song, base, f"gain {gain}", with_gain(gain))
    assert gain_of(songs.step_revision(library, song, back=True)) == 2.0
    reopened = Library(library.home)
    here = songs.current_revision(reopened, song)
    assert (gain_of(here), here.undo, here.redo) == (2.0, "gain 2.0", "gain 3.0")
    assert gain_of(songs.step_revision(reopened, song, back=False)) == 3.0
    assert gain_of(songs.step_revision(reopened, song, back=False)) == 3.0
    for wanted in (2.0, 1.0, None, None):
        assert gain_of(songs.step_revision(reopened, song, back=True)) == wanted


def test_an_edit_after_undo_begins_a_branch_and_loses_nothing(library, song):
    first = songs.save_revision(library, song, songs.current_revision(library, song).id, "a", with_gain(1.0))
    songs.step_revision(library, song, back=True)
    second = songs.save_revision(library, song, songs.current_revision(library, song).id, "b", with_gain(2.0))
    songs.step_revision(library, song, back=True)
    assert gain_of(songs.step_revision(library, song, back=False)) == 2.0
    for kept in (first, second):
        assert songs.revision_state(library, kept.id)[0] == kept.recipe


def test_an_edit_on_an_old_state_is_a_conflict(library, song):
    base = songs.current_revision(library, song).id
    songs.save_revision(library, song, base, "a", with_gain(1.0))
    with pytest.raises(Conflict, match="edited in another window"):
        songs.save_revision(library, song, base, "b", with_gain(2.0))
    assert gain_of(songs.current_revision(library, song)) == 1.0


def test_a_save_whose_answer_was_lost_is_answered_again(library, song):
    base = songs.current_revision(library, song).id
    kept = songs.save_revision(library, song, base, "a", with_gain(1.0))
    assert songs.save_revision(library, song, base, "a", with_gain(1.0)) == kept
    assert songs.step_revision(library, song, back=True).id == base, "kept once"


def test_refused_edits_change_nothing(library, song):
    base = songs.current_revision(library, song)
    with pytest.raises(RecipeError, match="out of range"):
        songs.save_revision(
            library, song, base.id, "a", {**with_gain(0), "master": [{"id": "t", "kind": "trim", "mix": 3}]}
        )
    with pytest.raises(RecipeError, match="the song has the buses mix; keep exactly these"):
        songs.save_revision(library, song, base.id, "a", {**with_gain(0), "buses": [{"id": "drums"}]})
    assert songs.current_revision(library, song) == base
    assert songs.save_revision(library, song, base.id, "same", dump_recipe(base.recipe)) == base


def test_prints_are_kept_with_their_measurements(library, song):
    revision = songs.current_revision(library, song).id
    number = prints.add_print(library, song, revision, "Low Bridge.wav", {"bits": "24"})
    prints.settle_orphans(library)
    assert prints.get_print(library, number).state == "stopped"
    prints.finish_print(library, number, "done", result={"clipped": 0, "measures": {"integrated_lufs": -14.0}})
    found = prints.list_prints(library, song)[0]
    assert (found.state, found.measures, found.clipped) == ("done", {"integrated_lufs": -14.0}, 0)
    assert prints.print_path(library, number, "../../x.wav").parent == library.folder("prints")
    with pytest.raises(LibraryError, match="no print 99"):
        prints.get_print(library, 99)


@pytest.mark.parametrize("told", [b"", b"{", b"[1]", b"{}", b"\xff\xfe", b'{"clipped": 0'])
def test_a_print_whose_note_a_power_cut_emptied_is_stopped(library, song, told):
    revision = songs.current_revision(library, song).id
    number = prints.add_print(library, song, revision, "Low Bridge.wav", {"bits": "24"})
    out = prints.print_path(library, number, "Low Bridge.wav")
    out.write_bytes(b"x")
    out.with_suffix(".json").write_bytes(told)
    prints.settle_orphans(library)
    assert prints.get_print(library, number).state == "stopped"


def test_writing_is_all_or_nothing_and_reading_cannot_write(library):
    with pytest.raises(RuntimeError), library.writing() as db:
        db.execute("INSERT INTO records (title) VALUES ('half')")
        raise RuntimeError
    with library.reading() as db:
        assert db.execute("SELECT count(*) FROM records").fetchone()[0] == 0
        with pytest.raises(sqlite3.OperationalError, match="readonly"):
            db.execute("INSERT INTO records (title) VALUES ('x')")
    with pytest.raises(LibraryError, match="belongs to"), library.writing() as db:
        db.execute("INSERT INTO songs (record_id, place, title) VALUES (77, 1, 'x')")


def test_a_library_of_the_future_or_in_a_wrong_place_is_refused(library, tmp_path):
    with library.writing() as db:
        db.execute("PRAGMA user_version = 999")
    with pytest.raises(LibraryError, match="made by a newer Tin Kettle"):
        Library(library.home)
    (tmp_path / "file").write_text("x")
    with pytest.raises(LibraryError, match=r"cannot be used as a library .*choose another with --home"):
        Library(tmp_path / "file")


def test_records_of_one_title_are_told_apart_by_their_artists(library, song):
    source = next(iter(song_sources(library, song).values()))
    numbers = [
        songs.add_song(library, "Tides", f"Song {i}", {"mix": source}, empty_recipe(), artist=artist)
        for i, artist in enumerate(("Ferry Ticket Ensemble", "The Quay", "Ferry Ticket Ensemble"))
    ]
    rows = {row.id: row for row in songs.list_songs(library)}
    assert [rows[n].artist for n in numbers] == ["Ferry Ticket Ensemble", "The Quay", "Ferry Ticket Ensemble"]
    assert [rows[n].place for n in numbers] == [1, 1, 2]


def test_songs_of_an_older_library_keep_their_files(tmp_path, library, song):
    """What was one set of files a song becomes the set of all its revisions."""
    before = song_sources(library, song)
    with library.writing() as db:
        for statement in (
            "DROP TABLE notes",
            "DROP TABLE ticked_findings",
            "DROP TABLE deliveries",
            "DROP INDEX records_by_edit",
            *(
                f"ALTER TABLE records DROP COLUMN {name}"
                for name in ("edit_id", "date", "upc", "archived", "deleted_at", "cover")
            ),
            "ALTER TABLE songs DROP COLUMN laid",
            "DROP TABLE record_edits",
            "CREATE TABLE song_sources (song_id INTEGER, bus_id TEXT, sha256 TEXT)",
            "INSERT INTO song_sources SELECT song_id, bus_id, sha256 FROM bounces JOIN bounce_sets ON set_id = id",
            "DROP INDEX revisions_by_bounces",
            "ALTER TABLE revisions DROP COLUMN save_id",
            "ALTER TABLE revisions DROP COLUMN saves",
            "ALTER TABLE revisions DROP COLUMN set_id",
            "DROP TABLE bounces",
            "DROP TABLE bounce_sets",
            "PRAGMA user_version = 2",
        ):
            db.execute(statement)
    again = Library(library.home)
    assert song_sources(again, song) == before
    assert songs.current_revision(again, song).bounces == song


def test_what_an_older_library_delivered_is_there_still(library, song):
    record = list_records(library)[0].id
    revision = songs.current_revision(library, song).id
    number = deliveries.add_delivery(library, record, song, revision, "Disc", "made of", "01 Low Bridge.wav")
    deliveries.finish_delivery(library, number, "done", None, {"sha256": "ab", "checks": [], "measures": {"x": 1}})
    before = deliveries.get_delivery(library, number)
    with library.writing() as db:
        for statement in (
            "ALTER TABLE deliveries DROP COLUMN starts",
            "ALTER TABLE records DROP COLUMN cover",
            "ALTER TABLE revisions DROP COLUMN saves",
            "PRAGMA user_version = 6",
        ):
            db.execute(statement)
    again = Library(library.home)
    assert deliveries.get_delivery(again, number) == before
    whole = deliveries.add_delivery(again, record, None, None, "One", "made of", "01 Slack Water.wav")
    assert [row.id for row in deliveries.newest_deliveries(again, record)] == [number, whole]


def test_views_are_kept_apart_from_edits(library, song):
    songs.set_view(library, song, {"stage": "t", "loop": [1, 2]})
    assert songs.get_view(library, song) == {"stage": "t", "loop": [1, 2]}
    assert songs.current_revision(library, song).undo is None
    with pytest.raises(LibraryError, match="no song 5"):
        songs.get_song(library, 5)
    assert find_source(library, "0" * 64) is None
