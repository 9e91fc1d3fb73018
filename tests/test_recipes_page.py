"""The recipes of docs/recipes.md are read and rendered as they stand there."""

import json
import re
from pathlib import Path

import numpy as np
import pytest

from tests.conftest import RATE_HZ, music, write_wav
from tin_kettle.core.batch.jobs import Jobs, load_jobs
from tin_kettle.core.deliver.spec import load_spec
from tin_kettle.core.engine.offline import render
from tin_kettle.core.engine.source import ArraySource
from tin_kettle.core.recipe.reading import load_recipe

PAGE = (Path(__file__).parents[1] / "docs" / "recipes.md").read_text(encoding="utf-8")
DOCUMENTS = [json.loads(text) for text in re.findall(r"```json\n(.*?)```", PAGE, re.DOTALL)]
RECIPES = [document for document in DOCUMENTS if document["format"] == "tin-kettle-recipe"]


def written(folder, document, name):
    (folder / name).write_text(json.dumps(document), encoding="utf-8")
    return folder / name


def test_there_are_ten():
    assert len(RECIPES) == 10


@pytest.mark.parametrize("number", range(10))
def test_each_renders_and_does_something(tmp_path, number):
    recipe = load_recipe(written(tmp_path, RECIPES[number], "r.kettle.json"))
    block = music(24.0 if recipe.sections else 3.0)
    sources = {bus.id: ArraySource(block, RATE_HZ) for bus in recipe.buses}
    out = np.concatenate(list(render(recipe, sources)), axis=1)
    assert out.shape == block.shape
    assert np.isfinite(out).all()
    assert np.abs(out - block * len(recipe.buses)).max() > 1e-3


def test_the_spec_and_the_jobs_are_read(tmp_path):
    spec, jobs = (next(d for d in DOCUMENTS if d["format"] == f"tin-kettle-{kind}") for kind in ("spec", "jobs"))
    assert load_spec(written(tmp_path, spec, "s.json")).bits == 16
    write_wav(tmp_path / "a.wav", music(1.0))
    written(tmp_path, RECIPES[4], "glue.kettle.json")
    assert [job.id for job in load_jobs(written(tmp_path, jobs, "j.json")).jobs] == ["a", "b", "c"]


def test_the_shipped_schema_of_jobs_is_the_codes():
    shipped = json.loads((Path(__file__).parents[1] / "docs" / "jobs.schema.json").read_text(encoding="utf-8"))
    assert shipped == Jobs.model_json_schema(), "run 'make types'"
