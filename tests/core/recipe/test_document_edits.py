"""Documents that go on from one another: the same as sent whole, and what is untouched is not read again."""

import copy
import json

import numpy as np
import pytest

from tests.conftest import recipe_of
from tests.random_recipes import draw_ridden
from tin_kettle.core.errors import RecipeError
from tin_kettle.core.recipe.document_edits import DocumentEdit, patched
from tin_kettle.core.recipe.reading import dump_recipe, parse_recipe
from tin_kettle.core.recipe.size_limits import MOST_NODES


def places_of(document, path=()):
    """Every place in a document, the whole first."""
    yield path, document
    inside = (
        document.items() if isinstance(document, dict) else enumerate(document) if isinstance(document, list) else ()
    )
    for step, value in inside:
        yield from places_of(value, (*path, step))


def trim(gain_db, **more):
    return {"id": "t", "kind": "trim", "params": {"gain_db": gain_db}, **more}


def test_any_place_of_a_document_can_be_changed_and_the_rest_is_the_very_same():
    document = {"a": [{"b": 1}, {"b": 2}], "c": {"d": [3, 4]}}
    for path, _ in places_of(document):
        wanted = copy.deepcopy(document)
        if path:
            inner = wanted
            for step in path[:-1]:
                inner = inner[step]
            inner[path[-1]] = "new"
        made = patched(document, [DocumentEdit(path=path, value="new")])
        assert made == (wanted if path else "new")
        untouched = [step for step in ("a", "c") if path and step != path[0]]
        assert all(made[step] is document[step] for step in untouched)
    assert document == {"a": [{"b": 1}, {"b": 2}], "c": {"d": [3, 4]}}, "the one before stays as it was"


@pytest.mark.parametrize(
    ("path", "named"),
    [
        (("b",), r"\$\.b: "),
        (("a", 2), r"\$\.a\[2\]: "),
        (("a", "0"), r"\$\.a\.0: "),
        (("a", 0, "b", 0), r"\$\.a\[0\]\.b\[0\]: "),
    ],
)
def test_a_place_that_is_not_there_is_named(path, named):
    with pytest.raises(RecipeError, match=named):
        patched({"a": [{"b": 1}, {"b": 2}]}, [DocumentEdit(path=path, value=0)])


def outcome(document, *before):
    try:
        return parse_recipe(document, *before)
    except RecipeError as refused:
        return str(refused)


def test_what_goes_on_from_a_document_is_read_or_refused_as_the_whole_would_be():
    rng = np.random.default_rng(5)
    read = refused = 0
    for seed in range(20):
        document = dump_recipe(draw_ridden(seed, 10.0))
        before = document, parse_recipe(document)
        for _ in range(8):
            path, old = [(p, v) for p, v in places_of(document) if isinstance(v, float)][rng.integers(5, 12)]
            changed = patched(document, [DocumentEdit(path=path, value=float(old * rng.uniform(-0.5, 2)))])
            found, whole = outcome(changed, before), outcome(json.loads(json.dumps(changed)))
            assert found == whole
            if isinstance(found, str):
                refused += 1
                continue
            read += 1
            document, before = changed, (changed, found)
    assert read > 20
    assert refused > 20


def test_what_is_untouched_is_not_read_again():
    ride = {"target": "t", "param": "gain_db", "points": [{"at": 0, "value": 1.0}]}
    limiter = {"id": "l", "kind": "limiter"}
    document = dump_recipe(recipe_of(trim(0), limiter, automation=[ride]))
    before = parse_recipe(document)
    moved = patched(document, [DocumentEdit(path=("master", 0, "params", "gain_db"), value=3.0)])
    after = parse_recipe(moved, (document, before))
    assert after.master[0].params.gain_db == 3.0
    assert after.master[1] is before.master[1]
    assert after.automation[0] is before.automation[0]


def test_what_one_change_breaks_elsewhere_is_still_refused():
    ride = {"target": "t", "param": "gain_db", "points": [{"at": 0, "value": 1.0}]}
    document = dump_recipe(recipe_of(trim(0), automation=[ride]))
    before = document, parse_recipe(document)
    with pytest.raises(RecipeError, match="no stage, branch, bus or group 't'"):
        parse_recipe(patched(document, [DocumentEdit(path=("master", 0, "id"), value="u")]), before)
    with pytest.raises(RecipeError, match=r"gain_db.*99"):
        parse_recipe(patched(document, [DocumentEdit(path=("master", 0, "params", "gain_db"), value=99.0)]), before)


def test_a_document_cannot_grow_too_large_step_by_step():
    stages = [trim(0, id=f"t{i}") for i in range(MOST_NODES - 10)]
    document = {"format": "tin-kettle-recipe", "version": 1, "master": stages}
    before = document, parse_recipe(document)
    more = [trim(0, id=f"u{i}") for i in range(20)]
    with pytest.raises(RecipeError, match=str(MOST_NODES)):
        parse_recipe({**document, "master": [*stages, *more]}, before)
