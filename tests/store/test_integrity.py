"""What is lost or damaged in a library is found, said with its remedy, and mended where that can be done."""

import pytest

from tests.conftest import noise, recipe_of
from tin_kettle.core.errors import DamagedRecipe
from tin_kettle.core.recipe.reading import dump_recipe
from tin_kettle.store.derived import is_intact, seal
from tin_kettle.store.integrity import check_library
from tin_kettle.store.songs import add_song, current_revision, readable_songs, save_revision
from tin_kettle.store.sources import keep_source, receive, source_path
from tin_kettle.web import maintenance


@pytest.fixture
def content(wav):
    return wav(noise(-20, 0.2)).read_bytes()


@pytest.fixture
def source(library, content):
    return keep_source(library, *receive(library, iter([content])), "in.wav")


def words(library, repair=False):
    return [fault.what for fault in check_library(library, repair)]


def flip(path, at=-5):
    """Change one byte and nothing else that one could notice."""
    data = bytearray(path.read_bytes())
    data[at] ^= 1
    path.write_bytes(data)


def test_a_sound_library_has_no_fault(library, source):
    assert words(library) == []


@pytest.mark.parametrize("lose", [lambda path: path.unlink(), lambda path: path.write_bytes(b"RIFF"), flip])
def test_a_lost_or_damaged_sound_is_found_and_comes_back_with_its_file(library, source, content, lose):
    path = source_path(library, source)
    lose(path)
    (fault,) = check_library(library, repair=True)
    assert fault.what.startswith("in.wav is ") and not fault.mended
    assert "bring in.wav again" in fault.remedy
    assert keep_source(library, *receive(library, iter([content])), "again.wav") == source
    assert path.read_bytes() == content
    assert words(library) == []


def test_a_damaged_waveform_is_drawn_again(library, source):
    path = library.folder("waveforms") / f"{source.sha256}.npz"
    before = path.read_bytes()
    path.write_bytes(before[:100])
    assert words(library) == ["the waveform of in.wav is damaged"]
    (fault,) = check_library(library, repair=True)
    assert fault.mended
    assert words(library) == []


def test_a_row_that_belongs_to_nothing_is_found(library, source):
    with library.reading() as db:
        assert db.execute("PRAGMA foreign_keys").fetchone()[0] == 1
    with library.writing() as db:
        db.execute("PRAGMA defer_foreign_keys = ON")
        db.execute("COMMIT")
        db.execute("PRAGMA foreign_keys = OFF")
        db.execute("BEGIN")
        db.execute("INSERT INTO bounces (set_id, bus_id, sha256) VALUES (77, 'mix', ?)", (source.sha256,))
    assert words(library) == ["the database is damaged: a row of bounces belongs to nothing"]


def test_a_song_whose_state_is_damaged_goes_back_to_the_newest_that_can_be_read(library, source):
    song = add_song(library, "Record", "Harbour", {"mix": source}, recipe_of())
    good = current_revision(library, song)
    other = add_song(library, "Record", "Lanterns", {"mix": source}, recipe_of())
    gain = dump_recipe(recipe_of({"id": "t", "kind": "trim", "params": {"gain_db": -6}}))
    damaged = save_revision(library, song, good.id, "Gain", gain)
    with library.writing() as db:
        db.execute("UPDATE revisions SET recipe = replace(recipe, 'gain_db', 'gain_dB') WHERE id = ?", (damaged.id,))
    with pytest.raises(DamagedRecipe, match="check --repair"):
        current_revision(library, song)
    assert [row.id for row, _ in readable_songs(library)] == [other], "the others are looked after"
    maintenance.take_care(library, 0.0)
    (fault,) = check_library(library)
    assert fault.what == "the state of 'Harbour' is damaged" and not fault.mended
    (fault,) = check_library(library, repair=True)
    assert fault.mended and words(library) == []
    assert current_revision(library, song).id == good.id


def test_what_was_derived_is_trusted_only_while_it_is_what_was_written(tmp_path):
    path = tmp_path / "derived.wav"
    assert not is_intact(path)
    path.write_bytes(b"sound" * 1000)
    assert not is_intact(path), "whose seal nobody kept"
    seal(path)
    assert is_intact(path)
    other = tmp_path / "other.wav"
    other.write_bytes(b"sound" * 1000)
    seal(other)
    flip(other)
    assert not is_intact(other)
