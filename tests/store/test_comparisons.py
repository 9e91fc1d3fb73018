"""Versions, references, dismissed findings and blind tests are kept with their song."""

import pytest

from tests.conftest import noise, recipe_of
from tin_kettle.core.errors import LibraryError
from tin_kettle.core.recipe.reading import dump_recipe
from tin_kettle.store import comparisons
from tin_kettle.store.songs import add_song, current_revision, save_revision
from tin_kettle.store.sources import keep_source, receive


@pytest.fixture
def source(library, wav):
    data = wav(noise(-20, 2.0)).read_bytes()
    return keep_source(library, *receive(library, iter([data])), "in.wav")


@pytest.fixture
def song(library, source):
    return add_song(library, "Slack Water", "Low Bridge", {"mix": source}, recipe_of())


TRIM = recipe_of({"id": "t", "kind": "trim", "params": {"gain_db": -3}})


def test_a_version_names_a_state_and_outlives_the_edits_after_it(library, song):
    first = current_revision(library, song)
    version = comparisons.add_version(library, song, first.id, "As it came")
    save_revision(library, song, first.id, "Trim", dump_recipe(TRIM))
    assert comparisons.version_state(library, version)[0] == recipe_of()
    assert [v.name for v in comparisons.list_versions(library, song)] == ["As it came"]
    comparisons.remove_version(library, version.id)
    assert comparisons.list_versions(library, song) == []
    with pytest.raises(LibraryError, match=str(version.id)):
        comparisons.get_version(library, version.id)


def test_a_version_that_is_tried_leaves_the_song_as_it_is(library, song):
    before = current_revision(library, song)
    version = comparisons.try_version(library, song, TRIM, "Quieter")
    assert current_revision(library, song) == before
    assert comparisons.version_state(library, version)[0] == TRIM


def test_a_reference_has_a_passage_inside_its_file(library, source):
    reference = comparisons.add_reference(library, source, "Tide Table")
    assert (reference.start_frame, reference.end_frame) == (0, source.frames)
    comparisons.set_passage(library, reference.id, 4800, 48000)
    kept = comparisons.get_reference(library, reference.id)
    assert (kept.start_frame, kept.end_frame) == (4800, 48000)
    for start, end in ((-1, 48000), (48000, 4800), (0, source.frames + 1), (0, 4799)):
        with pytest.raises(LibraryError, match=r"is no passage; give times from 0 to 2\.0 s"):
            comparisons.set_passage(library, reference.id, start, end)
    assert comparisons.get_reference(library, reference.id) == kept
    comparisons.remove_reference(library, reference.id)
    assert comparisons.list_references(library) == []


def test_dismissed_findings_stay_dismissed_until_they_are_called_back(library, song):
    for name in ("offset", "offset", "ring-3444"):
        comparisons.dismiss(library, song, name)
    assert comparisons.dismissed(library, song) == {"offset", "ring-3444"}
    comparisons.recall(library, song)
    assert comparisons.dismissed(library, song) == set()


def test_blind_tests_are_kept_in_their_order(library, song):
    for hits in (9, 4):
        test = {
            "kind": "which is X",
            "rounds": 10,
            "hits": hits,
            "says": f"{hits} of 10",
            "first": "Now",
            "second": "B",
        }
        comparisons.add_blind_test(library, song, test)
    kept = comparisons.list_blind_tests(library, song)
    assert sorted(test["hits"] for test in kept) == [4, 9]
    assert {test["second"] for test in kept} == {"B"}


def test_nothing_is_kept_of_a_song_that_is_not_there(library):
    with pytest.raises(LibraryError, match="not in the library"):
        comparisons.dismiss(library, 99, "offset")
