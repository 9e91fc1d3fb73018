"""Records: order, levels and names are edits that can be undone; nothing is lost where one is put away."""

import pytest

from tests.conftest import music, recipe_of, write_wav
from tin_kettle.core.errors import Conflict, LibraryError, RecordError
from tin_kettle.store.records import (
    add_record,
    archive_record,
    change_record,
    delete_record,
    get_record,
    list_records,
    move_song,
    step_record,
)
from tin_kettle.store.songs import add_song, list_songs
from tin_kettle.store.sources import keep_source, receive


@pytest.fixture
def source(library, tmp_path):
    path = write_wav(tmp_path / "in.wav", music(1.0) * 0.4)
    return keep_source(library, *receive(library, iter([path.read_bytes()])), "in.wav")


@pytest.fixture
def record(library, source):
    for title in ("Low Bridge", "Slack Water", "Pilot Light"):
        add_song(library, "Slack Water", title, {"mix": source}, recipe_of(), artist="Ferry Ticket Ensemble")
    return list_records(library)[0].id


def document(record):
    return record.state.model_dump(mode="json")


def order(library):
    return [song.title for song in list_songs(library)]


def test_order_levels_and_names_are_edits_that_can_be_undone(library, record):
    before = get_record(library, record)
    state = document(before)
    state["songs"].reverse()
    state["songs"][0] |= {"gain_db": -1.5, "gap_s": -2.0, "fade_out_s": 3.0, "fade_shape": "power"}
    after = change_record(library, record, before.edit, "turned round", state)
    assert order(library) == ["Pilot Light", "Slack Water", "Low Bridge"]
    assert (after.state.songs[0].gain_db, after.undo, after.redo) == (-1.5, "turned round", None)
    undone = step_record(library, record, back=True)
    assert undone.state == before.state
    assert order(library) == ["Low Bridge", "Slack Water", "Pilot Light"]
    assert (undone.undo, undone.redo) == (None, "turned round")
    assert step_record(library, record, back=True).state == before.state, "there is nothing before"
    assert step_record(library, record, back=False).state == after.state
    renamed = change_record(library, record, after.edit, "title", {**document(after), "title": "Tide Table"})
    assert list_records(library)[0].title == renamed.state.title == "Tide Table"
    assert step_record(library, record, back=True).state.title == "Slack Water"


def test_a_song_that_came_since_stays_behind_the_others_on_undo(library, record, source):
    before = get_record(library, record)
    state = document(before)
    state["songs"].reverse()
    change_record(library, record, before.edit, "turned round", state)
    add_song(library, "Slack Water", "Late", {"mix": source}, recipe_of(), artist="Ferry Ticket Ensemble")
    step_record(library, record, back=True)
    assert order(library) == ["Low Bridge", "Slack Water", "Pilot Light", "Late"]


@pytest.mark.parametrize(
    ("change", "error", "says"),
    [
        ({"title": ""}, RecordError, r"\$.title: is empty; write something"),
        ({"title": "x" * 201}, RecordError, r"\$.title: has 201 characters; at most 200 are allowed"),
        ({"date": "2026-02-30"}, RecordError, "a day as 2026-11-26 is allowed"),
        ({"upc": "12"}, RecordError, "12 or 13 digits are allowed"),
        ({"upc": "036000291453"}, RecordError, "check digit is 2"),
        ({"songs": []}, RecordError, "not the record's songs"),
        ({"year": 2026}, RecordError, "year"),
    ],
)
def test_what_is_no_state_of_the_record_is_refused(library, record, change, error, says):
    before = get_record(library, record)
    with pytest.raises(error, match=says):
        change_record(library, record, before.edit, "edit", {**document(before), **change})
    assert get_record(library, record) == before


def test_a_record_may_have_more_songs_than_a_disc(library, record, source):
    for number in range(100):
        add_song(library, "Slack Water", f"Take {number}", {"mix": source}, recipe_of(), artist="Ferry Ticket Ensemble")
    assert len(get_record(library, record).state.songs) == 103


def test_two_windows_do_not_write_over_each_other(library, record):
    before = get_record(library, record)
    first = change_record(library, record, before.edit, "a", {**document(before), "artist": "A"})
    with pytest.raises(Conflict, match="another window"):
        change_record(library, record, before.edit, "b", {**document(before), "artist": "B"})
    # the same once more is no other edit
    assert change_record(library, record, before.edit, "a", document(first)).edit == first.edit


def test_records_are_made_put_away_deleted_and_brought_back(library, record):
    other = add_record(library, "Tide Table", "Ferry Ticket Ensemble")
    move_song(library, list_songs(library)[0].id, other)
    assert [(row.title, row.songs) for row in list_records(library)] == [("Slack Water", 2), ("Tide Table", 1)]
    archive_record(library, other, True)
    assert get_record(library, other).archived
    delete_record(library, record, True)
    assert order(library) == ["Low Bridge"]
    assert [row.deleted for row in list_records(library)] == [True, False]
    delete_record(library, record, False)
    assert len(order(library)) == 3
    with pytest.raises(LibraryError, match="there is no record 99"):
        delete_record(library, 99, True)
    with pytest.raises(LibraryError, match="there is no song 99"):
        move_song(library, 99, other)
    with pytest.raises(RecordError, match=r"\$.title"):
        add_record(library, "")
