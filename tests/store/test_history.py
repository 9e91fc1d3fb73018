"""Everything that was done to a song is listed, can be gone back to, and stays."""

import pytest

from tests.conftest import noise, recipe_of
from tin_kettle.core.errors import LibraryError
from tin_kettle.core.recipe.reading import dump_recipe
from tin_kettle.store.comparisons import add_version, try_version
from tin_kettle.store.history import MOST_LISTED, is_edit, list_edits, return_to
from tin_kettle.store.songs import add_song, current_revision, save_revision, step_revision
from tin_kettle.store.sources import keep_source, receive


@pytest.fixture
def song(library, wav):
    data = wav(noise(-20, 2.0)).read_bytes()
    source = keep_source(library, *receive(library, iter([data])), "in.wav")
    return add_song(library, "Slack Water", "Low Bridge", {"mix": source}, recipe_of())


def gain(db):
    return recipe_of({"id": "t", "kind": "trim", "params": {"gain_db": db}})


def save(library, song, db):
    base = current_revision(library, song).id
    return save_revision(library, song, base, f"Trim {db}", dump_recipe(gain(db)))


def test_edits_are_listed_the_newest_first_with_the_names_of_versions(library, song):
    for db in (-1, -2):
        save(library, song, db)
    add_version(library, song, current_revision(library, song).id, "Quiet")
    try_version(library, song, gain(5), "Only tried")
    listed = list_edits(library, song)
    assert [(edit.label, edit.version) for edit in listed] == [
        ("Trim -2", "Quiet"),
        ("Trim -1", None),
        ("as received", None),
    ]
    assert list_edits(library, song, before=listed[1].id) == listed[2:]


def test_going_back_is_an_edit_that_undo_takes_back(library, song):
    first = save(library, song, -1)
    save(library, song, -2)
    back = return_to(library, song, first.id)
    assert (back.recipe, back.label) == (gain(-1), "Back to: Trim -1")
    assert step_revision(library, song, back=True).recipe == gain(-2)
    assert [edit.label for edit in list_edits(library, song)][:2] == ["Back to: Trim -1", "Trim -2"]
    # where the song stands already, nothing is added
    here = current_revision(library, song)
    assert return_to(library, song, here.id) == here


def test_what_was_undone_and_left_behind_is_still_listed(library, song):
    save(library, song, -1)
    step_revision(library, song, back=True)
    save(library, song, -7)
    assert [edit.label for edit in list_edits(library, song)] == ["Trim -7", "Trim -1", "as received"]


def test_another_songs_edits_and_what_was_only_tried_are_none(library, song, wav):
    data = wav(noise(-20, 1.0), "other.wav").read_bytes()
    source = keep_source(library, *receive(library, iter([data])), "other.wav")
    other = add_song(library, "Slack Water", "Last Crossing", {"mix": source}, recipe_of())
    theirs = current_revision(library, other).id
    tried = try_version(library, song, gain(5), "Only tried").revision_id
    for revision in (theirs, tried, 99999):
        assert not is_edit(library, song, revision)
        with pytest.raises(LibraryError, match=f"no edit {revision} of this song"):
            return_to(library, song, revision)


def test_long_histories_come_in_pieces(library, song):
    for number in range(MOST_LISTED + 5):
        save(library, song, -number / 100)
    newest = list_edits(library, song)
    rest = list_edits(library, song, before=newest[-1].id)
    assert (len(newest), len(rest)) == (MOST_LISTED, 6)
