"""Saves: one movement of the hand is one edit, an answer that was lost blocks nothing, and another window is told."""

import numpy as np
import pytest

from tests.conftest import noise, recipe_of
from tin_kettle.core.errors import Conflict
from tin_kettle.core.recipe.reading import dump_recipe
from tin_kettle.store.comparisons import add_version
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
    save(4, made[-1].id, save_id="next", base_saves=made[-1].saves)
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


def test_another_window_that_saw_a_movement_in_the_middle_does_not_take_its_end_back(library, song, save):
    """The second window opens while the first drags on: what it saw is no longer what stands there."""
    base = current_revision(library, song)
    seen = save(1, base.id, save_id="drag")
    save(2, base.id, save_id="drag")
    with pytest.raises(Conflict, match="another window"):
        save(-6, seen.id, save_id="stranger", base_saves=seen.saves)
    assert gain(current_revision(library, song)) == 2
    there = save(3, base.id, save_id="drag")
    assert gain(save(4, there.id, save_id="next", base_saves=there.saves)) == 4


def test_any_two_windows_lose_nothing_without_a_word(library, song, save):
    """Random moves of two windows: a save either follows all that is there, or is refused."""
    rng = np.random.default_rng(4)
    windows = [[current_revision(library, song), f"w{i}-0", 0] for i in range(2)]
    value, owner = None, None
    for step in range(200):
        which = int(rng.integers(2))
        window = windows[which]
        act = rng.random()
        if act < 0.2:
            window[0], window[2] = current_revision(library, song), window[2] + 1
            window[1] = f"w{which}-{window[2]}"
        elif act < 0.4:
            window[1], window[2] = f"w{which}-{window[2] + 1}", window[2] + 1
        else:
            before = current_revision(library, song)
            knows = before.recipe == window[0].recipe or owner == window[1]
            try:
                made = save(step % 24 - 12 + 0.01 * step, window[0].id, save_id=window[1], base_saves=window[0].saves)
                assert knows, "it wrote over what it never saw"
                window[0], owner, value = made, window[1], gain(made)
            except Conflict:
                assert before.recipe != window[0].recipe
        if value is not None:
            assert gain(current_revision(library, song)) == value
