"""What a recipe may be, and how it is refused: path, value, what is allowed."""

import copy
import json
from pathlib import Path

import pytest

from tests.conftest import recipe_of
from tin_kettle.core.errors import RecipeError
from tin_kettle.core.recipe.reading import check_rate, dump_recipe, load_recipe, parse_recipe
from tin_kettle.core.recipe.schema import recipe_schema

ROOT = Path(__file__).parents[3]
GOOD = {
    "format": "tin-kettle-recipe",
    "version": 1,
    "buses": [{"id": "mix", "name": "Mix", "group": None, "chain": [], "gain_db": 0.0, "pan": 0.0, "muted": False}],
    "groups": [],
    "master": [
        {
            "id": "hold",
            "kind": "compressor",
            "on": True,
            "channels": "stereo",
            "mix": 1.0,
            "params": {"threshold_db": -18, "ratio": 1.7},
        }
    ],
    "sections": [{"id": "v1", "name": "Verse", "start_s": 0.0, "end_s": 21.5}],
    "automation": [],
}


def stage(**fields):
    return {"master": [{"id": "a", "kind": "compressor", **fields}]}


def params(**values):
    return stage(params=values)


def test_the_contracts_example_is_read_and_written_with_its_defaults():
    written = dump_recipe(parse_recipe(GOOD))
    held = written["master"][0]["params"]
    assert (held["threshold_db"], held["ratio"], held["attack_ms"], held["detector_filters"]) == (-18, 1.7, 30, [])
    assert parse_recipe(written) == parse_recipe(GOOD)
    assert parse_recipe({"format": "tin-kettle-recipe", "version": 1}).buses[0].id == "mix"


def point(at):
    return {"automation": [{"target": "hold", "param": "mix", "points": [{"at": at, "value": 0.5}]}]}


@pytest.mark.parametrize(
    ("change", "message"),
    [
        ({"version": 2}, r"\$\.version: 2 is not allowed; allowed: 1"),
        ({"format": "x"}, r"\$\.format: \"x\" is not allowed"),
        ({"foo": 1}, r"\$\.foo: 'foo' is not known here \(value 1\)"),
        (stage(kind="gargle"), r"\$\.master\[0\]: kind 'gargle' is not known; allowed: trim, filter"),
        (stage(kind="compresor"), r"kind 'compresor' is not known; perhaps compressor; allowed: trim"),
        ({"master": [{"id": "a"}]}, r"\$\.master\[0\]: has no kind; allowed: trim"),
        ({"master": [{"kind": "trim"}]}, r"\$\.master\[0\]\.id: is missing"),
        ({"master": {}}, r"\$\.master: \{\} is not allowed; a list is expected"),
        (params(ratio=0.5), r"\$\.master\[0\]\.params\.ratio: 0\.5 is out of range; at least 1 and at most 100 is"),
        (params(ratio="2"), r"params\.ratio: \"2\" is not allowed; a number is expected"),
        (params(ratio=True), r"params\.ratio: true is not allowed; a number is expected"),
        (params(ratio=float("nan")), r"params\.ratio: NaN is no number"),
        (params(attack_ms=float("inf")), r"params\.attack_ms: Infinity is no number"),
        (params(thresold_db=-18), r"params\.thresold_db: 'thresold_db' is not known .*; perhaps threshold_db; known: "),
        (
            params(threshold=-18),
            r"'threshold' is not known here \(value -18\); perhaps threshold_db; known: threshold_db,",
        ),
        (stage(channel="mid"), r"'channel' is not known here \(value \"mid\"\); perhaps channels; known: id, kind, on"),
        (
            {"buses": [{"id": "m", "gain": 3}]},
            r"'gain' is not known here \(value 3\); perhaps gain_db; known: id, name",
        ),
        (params(detector_filters=[{"freq": 5}]), r"\[0\]\.freq: 'freq' is not known here .*; known: kind, hz"),
        (params(key=["drums"]), r"params\.key\[0\]: there is no bus or group 'drums'; there are: mix"),
        (params(detector_filters=[{"hz": 5}]), r"detector_filters\[0\]\.hz: 5 is out of range; at least 20"),
        (params(detector_filters=[{}] * 4), r"detector_filters: has 4 entries; at most 3"),
        (stage(mix=50), r"\$\.master\[0\]\.mix: 50 is out of range; at least 0 and at most 1 is allowed"),
        (stage(on=1), r"\$\.master\[0\]\.on: 1 is not allowed; true or false"),
        (stage(channels="center"), r"\$\.master\[0\]\.channels: \"center\" is not allowed; allowed: 'stereo'"),
        ({"master": [{"id": "l", "kind": "limiter", "mix": 0.5}]}, r"\$\.master\[0\]\.mix: 0\.5 is out of range"),
        ({"master": [{"id": "l", "kind": "limiter", "channels": "mid"}]}, r"channels: \"mid\" is not allowed"),
        ({"master": [{"id": "mix", "kind": "trim"}]}, r"\$\.master\[0\]\.id: 'mix' is taken by \$\.buses\[0\]"),
        ({"buses": [{"id": "m", "group": "g"}]}, r"\$\.buses\[0\]\.group: there is no group 'g'"),
        ({"buses": []}, r"\$\.buses: has 0 entries; at least 1"),
        (
            {"groups": [{"id": "a", "group": "b"}, {"id": "b", "group": "a"}]},
            r"\$\.groups\[0\]\.group: the groups go in a circle: a → b → a",
        ),
        (
            {"sections": [{"id": "b", "start_s": 2, "end_s": 9}, {"id": "a", "start_s": 0, "end_s": 3}]},
            r"\$\.sections\[0\]\.start_s: 2 s lies in section 'a' \(to 3 s\); sections must not overlap",
        ),
        ({"sections": [{"id": "s", "start_s": 3, "end_s": 2}]}, r"\$\.sections\[0\]\.end_s: 2 is not after"),
        (
            {"sections": [{"id": "s", "start_s": 3, "end_s": 1e6}]},
            r"end_s: 1000000\.0 is out of range; at most 604800",
        ),
        (point(1e15), r"points\[0\]\.at: 1000000000000000\.0 is out of range; at most 604800"),
        (point(-1e15), r"points\[0\]\.at: -1.* is out of range; at least -604800"),
        (
            point({"section": "s", "offset_s": 1e15}),
            r"points\[0\]\.at\.offset_s: 1.* is out of range; at least -604800 and at most 604800",
        ),
        ({"automation": [{"target": "hold", "param": "mix", "points": []}]}, r"automation\[0\]\.points: has 0 entries"),
    ],
)
def test_refusals_name_the_path_the_value_and_what_is_allowed(change, message):
    with pytest.raises(RecipeError, match=message):
        parse_recipe({**copy.deepcopy(GOOD), **change})


@pytest.mark.parametrize("document", [None, [], 3, "recipe"])
def test_what_is_no_object_is_refused(document):
    with pytest.raises(RecipeError, match=r"\$: .* an object is expected"):
        parse_recipe(document)


def test_files_that_are_no_recipes(tmp_path):
    path = tmp_path / "r.kettle.json"
    with pytest.raises(RecipeError, match="cannot be read"):
        load_recipe(path)
    path.write_text('{"format": ')
    with pytest.raises(RecipeError, match=r"is not JSON: .* in line 1"):
        load_recipe(path)
    path.write_bytes(b"\xff\xfe\x00")
    with pytest.raises(RecipeError, match="is not text"):
        load_recipe(path)
    path.write_text('{"version": 1, "version": 1}')
    with pytest.raises(RecipeError, match="'version' stands twice"):
        load_recipe(path)


def test_points_of_a_file_stand_in_the_order_of_time(tmp_path):
    ride = {"target": "hold", "param": "mix"}
    hung = {"at": {"section": "v1"}, "value": 0.1}

    def loaded(*points):
        path = tmp_path / "r.kettle.json"
        path.write_text(json.dumps({**GOOD, "automation": [{**ride, "points": points}]}))
        return load_recipe(path)

    assert loaded({"at": 1, "value": 0.5}, hung, {"at": 1, "value": 0.2}, {"at": 3, "value": 1})
    with pytest.raises(RecipeError, match=r"points\[2\]\.at: 1 s comes after 3 s; put the points in the order of time"):
        loaded({"at": 3, "value": 0.5}, hung, {"at": 1, "value": 0.2})


def test_frequencies_must_fit_the_rate_but_for_low_passes():
    high = {"kind": "filter", "params": {"high_pass_on": True, "high_pass_hz": 2000}}
    low = {"kind": "filter", "params": {"low_pass_on": True, "low_pass_hz": 22000}}
    check_rate(recipe_of(high, low), 8000)
    heard = {"kind": "compressor", "params": {"detector_filters": [{"hz": 15000}]}}
    with pytest.raises(RecipeError, match=r"\$\.master\[0\]\.params\.detector_filters\[0\]\.hz: 15000 Hz is above"):
        check_rate(recipe_of(heard), 22050)
    check_rate(recipe_of({**heard, "on": False}), 22050)


def test_the_shipped_schema_is_the_codes():
    shipped = json.loads((ROOT / "docs" / "recipe.schema.json").read_text())
    assert shipped == recipe_schema(), "run 'make types'"


def test_the_manual_is_the_codes():
    from tin_kettle.core.recipe.manual import manual

    shipped = (Path(__file__).parents[3] / "docs" / "stages.md").read_text(encoding="utf-8")
    assert shipped == manual(), "run 'make types'"
    assert "| Threshold | `threshold_db` | -60 to 0 dB (-18) |" in shipped
