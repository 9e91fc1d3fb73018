"""What differs between two recipes is listed value by value, in the words of the controls."""

from tests.conftest import recipe_of
from tin_kettle.core.recipe.describe import describe_recipe
from tin_kettle.core.recipe.differences import differences

HOLD = {"id": "hold", "kind": "compressor", "params": {"threshold_db": -18}}
TONE = {"id": "tone", "kind": "equalizer", "params": {"bands": [{"id": "a", "hz": 100}, {"id": "b", "hz": 900}]}}
TRIM = {"id": "trim", "kind": "trim"}


def told(before, after):
    return [(d["title"], d["what"], d["before"], d["after"]) for d in differences(before, after)]


def test_nothing_differs_from_itself():
    assert told(recipe_of(HOLD, TONE), recipe_of(HOLD, TONE)) == []


def test_values_are_named_as_on_the_bench():
    harder = {**HOLD, "on": False, "mix": 0.5, "params": {"threshold_db": -24, "detector_filters": [{"hz": 200}]}}
    rows = told(recipe_of(HOLD), recipe_of(harder))
    assert rows[:3] == [
        ("Bus compressor", "On", True, False),
        ("Bus compressor", "Mix", 1.0, 0.5),
        ("Bus compressor", "Threshold", -18, -24),
    ]
    assert rows[3] == ("Bus compressor", "Detector filters", "everything", "above 200 Hz")


def test_bands_are_told_apart_by_their_ids():
    bands = [{"id": "b", "hz": 950, "gain_db": -2}, {"id": "c", "hz": 5000}]
    rows = told(recipe_of(TONE), recipe_of({**TONE, "params": {"bands": bands}}))
    assert ("Equalizer", "band 1", "there", None) in rows
    assert ("Equalizer", "band 1 · Frequency", 900, 950) in rows
    assert ("Equalizer", "band 1 · Gain", 0, -2) in rows
    assert ("Equalizer", "band 2", None, "added") in rows
    assert len(rows) == 4


def test_stages_come_go_move_and_change_their_kind():
    rows = told(recipe_of(HOLD, TRIM), recipe_of(TONE, {"id": "hold", "kind": "trim"}))
    assert ("Equalizer", "stage", None, "added") in rows
    assert ("Trim", "stage", "there", None) in rows
    assert ("Trim", "kind", "Bus compressor", "Trim") in rows
    buses = [{"id": "mix", "chain": [HOLD]}]
    assert told(recipe_of(HOLD), recipe_of(buses=buses)) == [("Bus compressor", "Chain", "Master", "mix")]


def test_faders_and_groups_are_part_of_it():
    before = recipe_of(buses=[{"id": "drums", "name": "Drums"}, {"id": "bass"}])
    after = recipe_of(
        buses=[{"id": "drums", "name": "Drums", "gain_db": -2, "group": "band"}, {"id": "bass", "muted": True}],
        groups=[{"id": "band", "pan": 0.5}],
    )
    rows = told(before, after)
    assert ("Drums", "Level", 0.0, -2.0) in rows
    assert ("Drums", "Group", None, "band") in rows
    assert ("bass", "Mute in the print", False, True) in rows
    assert ("band", "Pan", None, 0.5) in rows


def test_the_chain_and_the_differences_say_how_a_value_moves():
    room = {"id": "air", "kind": "room"}
    sections = [{"id": n, "name": n.upper(), "start_s": 10.0 * i, "end_s": 10.0 * i + 10} for i, n in enumerate("abc")]

    def by_section(param, *values):
        points = [{"at": {"section": n}, "value": v} for n, v in zip("abc", values, strict=True)]
        return {"target": "air", "param": param, "points": points}

    recipe = recipe_of(
        room, sections=sections, automation=[by_section("mix", 0.09, 0.25, 0.09), by_section("on", True, False, True)]
    )
    assert describe_recipe(recipe, 48000)["air"]["summary"].startswith("mix 9 to 25 % by section · off in B · ")
    told = {d["what"]: (d["before"], d["after"]) for d in differences(recipe_of(room, sections=sections), recipe)}
    assert told["Mix over time"] == (None, "9 to 25 % by section")
    later = recipe_of(room, sections=sections, automation=[by_section("mix", 0.25, 0.09, 0.09)])
    (mix, _) = differences(recipe, later)
    assert (mix["before"], mix["after"]) == ("9 to 25 % by section", "9 to 25 % by section, otherwise")
