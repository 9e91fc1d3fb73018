"""The other demo song comes as four buses, the reference is finished and loud, and a library is filled once."""

import numpy as np
import pytest

from tests.conftest import music
from tin_kettle.core.engine.offline import render
from tin_kettle.core.engine.source import ArraySource
from tin_kettle.core.measure.song_measures import SongMeter
from tin_kettle.core.survey.survey import survey_song
from tin_kettle.demo import last_crossing, low_bridge, pilot_light, slack_water, tide_table
from tin_kettle.demo.library import fill_demo
from tin_kettle.store.comparisons import list_references, list_versions
from tin_kettle.store.songs import current_revision, list_songs
from tin_kettle.store.sources import song_sources

SILENCE = ArraySource(np.zeros((2, 16 * 48000)), 48000)


def measured(x):
    meter = SongMeter(48000)
    meter.feed(x)
    return meter.finish()


@pytest.fixture(scope="module")
def buses():
    return pilot_light.pilot_light()


def share(x, low, high):
    """Of the energy, between two frequencies."""
    power = np.abs(np.fft.rfft(x.mean(axis=0))) ** 2
    hz = np.fft.rfftfreq(x.shape[1], 1 / 48000)
    return power[(hz >= low) & (hz < high)].sum() / power.sum()


def test_four_buses_sum_to_the_mix_and_each_does_its_part(buses):
    assert list(buses) == ["drums", "bass", "keys", "voices"]
    total = np.add.reduce(list(buses.values()))
    assert np.abs(total).max() == pytest.approx(10 ** (-1.5 / 20), rel=1e-6)
    assert 60 < total.shape[1] / 48000 < 120
    assert share(buses["bass"], 30, 250) > 0.9
    assert share(buses["keys"], 60, 250) > 0.02, "the keys reach down into the bass"
    assert share(buses["voices"], 5000, 9000) > 0.001, "an S that can be found"
    assert share(buses["drums"], 2000, 20000) > share(buses["bass"], 2000, 20000)


def test_the_bass_makes_room_for_the_kick_from_the_first_start(buses):
    recipe = pilot_light.pilot_light_recipe()
    assert recipe.sections[-1].end_s == pytest.approx(buses["drums"].shape[1] / 48000, abs=0.1)
    found = survey_song(recipe, {bus: ArraySource(x, 48000) for bus, x in buses.items()})
    assert found.hardest("duck")[0] < -3
    assert found.measures["true_peak_dbtp"] < -0.95
    intro, chorus = recipe.sections[0], recipe.sections[2]
    loud = [found.lufs(round(part.start_s * 48000), round(part.end_s * 48000)) for part in (intro, chorus)]
    assert loud[1] > loud[0] + 3


def test_the_version_in_colour_is_denser_and_holds_the_ceiling(buses):
    """The crests of the bass are rounded, and with rooms and all nothing overshoots or cancels."""
    part = {bus: np.ascontiguousarray(x[:, 20 * 48000 : 36 * 48000]) for bus, x in buses.items()}
    plain, coloured = pilot_light.pilot_light_recipe(), pilot_light.in_colour()
    alone = {**dict.fromkeys(part, SILENCE), "bass": ArraySource(part["bass"], 48000)}
    bass = {
        name: np.concatenate(list(render(one, alone)), axis=1)
        for name, one in (("plain", plain), ("coloured", coloured))
    }
    crest_db = {name: 20 * np.log10(np.abs(x).max() / np.std(x)) for name, x in bass.items()}
    assert crest_db["coloured"] < crest_db["plain"] - 1.5
    told = measured(np.concatenate(list(render(coloured, {b: ArraySource(x, 48000) for b, x in part.items()})), axis=1))
    assert told["true_peak_dbtp"] < -0.95
    assert told["mono_loss_lu"] < 2


def test_the_reference_is_finished_and_loud():
    told = measured(tide_table.tide_table())
    assert -12 < told["integrated_lufs"] < -8
    assert told["true_peak_dbtp"] < -0.95
    assert told["mono_loss_lu"] < 2
    assert told["side_energy_below_120hz"] < 0.02


def test_a_library_is_filled_once(library, monkeypatch):
    short = music(1.0) * 0.3
    monkeypatch.setattr(low_bridge, "low_bridge", lambda: short)
    monkeypatch.setattr(slack_water, "slack_water", lambda: short)
    monkeypatch.setattr(last_crossing, "last_crossing", lambda: short)
    monkeypatch.setattr(pilot_light, "pilot_light", lambda: dict.fromkeys(("drums", "bass", "keys", "voices"), short))
    monkeypatch.setattr(tide_table, "tide_table", lambda: short)
    said = []
    for _ in range(2):
        fill_demo(library, said.append)
    assert [line.split(",")[0] for line in said] == [
        f"{title} is being made"
        for title in ("Low Bridge", "Tide Table", "Slack Water", "Last Crossing", "Pilot Light")
    ]
    songs = {song.title: song for song in list_songs(library)}
    assert list(songs) == ["Low Bridge", "Slack Water", "Last Crossing", "Pilot Light"]
    assert len(song_sources(library, songs["Pilot Light"].id)) == 4
    assert [version.name for version in list_versions(library, songs["Low Bridge"].id)] == [
        "Small moves",
        "By frequency",
        "By section",
    ]
    assert [version.name for version in list_versions(library, songs["Pilot Light"].id)] == ["In colour"]
    assert current_revision(library, songs["Low Bridge"].id).recipe.master[0].id == "clean"
    assert [reference.name for reference in list_references(library)] == ["Tide Table"]


@pytest.fixture(scope="module")
def others():
    """What the other two songs measure as received, and as the demo begins with them."""
    told = {}
    for song, recipe in (
        (slack_water.slack_water(), slack_water.slack_water_recipe()),
        (last_crossing.last_crossing(), last_crossing.last_crossing_recipe()),
    ):
        mastered = np.concatenate(list(render(recipe, {"mix": ArraySource(song, 48000)})), axis=1)
        told[len(told)] = (song, measured(song), measured(mastered), recipe)
    return told[0], told[1]


def test_the_quiet_song_booms_is_dull_leans_and_creaks(others):
    (song, received, mastered, recipe), _ = others
    assert 90 < song.shape[1] / 48000 < 180
    assert recipe.sections[-1].end_s == pytest.approx(song.shape[1] / 48000, abs=0.01)
    level = dict(zip(received["spectrum"]["hz"], received["spectrum"]["mid_db"], strict=True))
    assert level[251.19] > level[1000.0] + 5
    assert level[10000.0] < level[1000.0] - 20
    assert received["energy_below_30hz"] > 0.01
    left, right = np.sqrt((song**2).mean(axis=1))
    assert 20 * np.log10(right / left) > 0.7
    assert received["integrated_lufs"] < -20
    assert received["loudness_range_lu"] > 10
    assert mastered["true_peak_dbtp"] < -0.95


def test_the_loud_song_clips_is_harsh_light_and_louder_than_the_rest(others):
    (_, _, quiet, _), (song, received, mastered, recipe) = others
    assert 90 < song.shape[1] / 48000 < 180
    assert recipe.sections[-1].end_s == pytest.approx(song.shape[1] / 48000, abs=0.01)
    assert received["clipped_samples"] > 100
    assert received["true_peak_dbtp"] > 0
    level = dict(zip(received["spectrum"]["hz"], received["spectrum"]["mid_db"], strict=True))
    assert level[3981.07] > level[1995.26] + 4, "harsh"
    assert level[63.1] < level[1000.0] - 5, "light"
    assert mastered["integrated_lufs"] > quiet["integrated_lufs"] + 1.5
    assert mastered["true_peak_dbtp"] < -0.95
