"""Saves: one movement of the hand is one edit, an answer that was lost blocks nothing, and another window is told."""

import pytest

from tests.conftest import noise, recipe_of
from tin_kettle.core.errors import Conflict
from tin_kettle.core.recipe.reading import dump_recipe
from tin_kettle.store.comparing import add_version
from tin_kettle.store.history import list_edits
from tin_kettle.store.songs import add_song, current_revision, save_revision, step_revision
from tin_kettle.store.sources import keep_source, receive


@pytest.fixture
def song(library, wav):
    source = keep_source(library, *receive(library, iter([wav(noise(-20, 0.5)).read_bytes()])), "in.wav")
    return add_song(library, "Harbour Songs", "Low Bridge", {"mix": source}, recipe_of())


@pytest.fixture
def save(library, song):
    def saved(gain_db, base, **more):
        document = dump_recipe(recipe_of({"id": "t", "kind": "trim", "params": {"gain_db": gain_db}}))
        return save_revision(library, song, base, f"gain {gain_db}", document, **more)

    return saved


def gain(revision):
    return revision.recipe.master[0].params.gain_db


def test_a_movement_that_is_saved_while_it_lasts_is_one_edit(library, song, save):
    base = current_revision(library, song).id
    made = [save(step, base, save_id="drag") for step in (1, 2, 3)]
    assert len({revision.id for revision in made}) == 1
    assert [edit.label for edit in list_edits(library, song)] == ["gain 3", "as received"]
    save(4, made[-1].id, save_id="next")
    assert gain(step_revision(library, song, back=True)) == 3
    assert step_revision(library, song, back=True).id == base


def test_a_save_whose_answer_was_lost_is_no_other_windows(library, song, save):
    base = current_revision(library, song).id
    save(1, base, save_id="lost")
    with pytest.raises(Conflict):
        save(2, base, save_id="stranger")
    there = save(2, base, save_id="mine", unanswered=["older", "lost"])
    assert gain(there) == 2
    assert gain(step_revision(library, song, back=True)) == 1


def test_what_a_version_names_is_not_changed_any_more(library, song, save):
    base = current_revision(library, song).id
    named = save(1, base, save_id="drag")
    add_version(library, song, named.id, "Loud")
    later = save(2, base, save_id="drag")
    assert later.id != named.id
    assert gain(step_revision(library, song, back=True)) == 1
