"""Trying values of a stage on a whole song: what comes before the stage is rendered once."""

from __future__ import annotations

import tempfile
from collections.abc import Iterator, Mapping
from contextlib import contextmanager
from pathlib import Path

import soundfile

from tin_kettle.core.engine.offline import render, song_rate
from tin_kettle.core.engine.source import FileSource, Source
from tin_kettle.core.errors import RecipeError
from tin_kettle.core.progress import Progress
from tin_kettle.core.recipe.extract import from_stage_on, up_to
from tin_kettle.core.recipe.model import Recipe
from tin_kettle.core.stages.stage import Stage


def asked_stage(recipe: Recipe, stage_id: str) -> Stage:
    """A stage that is on.

    Raises:
        RecipeError: there is none of that id, or it is off.
    """
    stage = recipe.stage(stage_id)
    if stage is None:
        raise RecipeError("stage", f"there is no stage '{stage_id}'; choose one of the song's")
    if not stage.on:
        raise RecipeError("stage", f"'{stage_id}' is off; switch it on first")
    return stage


def unridden(recipe: Recipe, stage: Stage, param: str) -> None:
    """Refuse what a ride would undo.

    Raises:
        RecipeError: the parameter is ridden.
    """
    if any(ride.target == stage.id and ride.param.removeprefix("params.") == param for ride in recipe.automation):
        raise RecipeError(param, f"the {stage.declared.title.lower()}'s {param} is ridden; leave the ride first")


def with_value(recipe: Recipe, stage_id: str, param: str, value: float) -> Recipe:
    """The recipe with one number of a stage at another value."""

    def changed(stage: Stage) -> Stage:
        if stage.id != stage_id:
            return stage
        return stage.model_copy(update={"params": stage.params.model_copy(update={param: value})})

    return recipe.map_stages(changed)


@contextmanager
def brought_to(
    recipe: Recipe, sources: Mapping[str, Source], stage_id: str, progress: Progress | None = None
) -> Iterator[tuple[Recipe, Mapping[str, Source]]]:
    """The recipe from a stage on, and what comes in there, in a file that is gone at the end.

    Where the stage is not on the master, or what follows listens to a bus, this is the whole recipe on its own sources.
    """
    rest = from_stage_on(recipe, stage_id)
    if rest is None:
        yield recipe, sources
        return
    # off, and only by the stages before it: the stage's own delay is not passed twice
    before = up_to(recipe, stage_id, on=False)
    with tempfile.TemporaryDirectory(prefix="tin-kettle-") as folder:
        path = Path(folder) / "met.wav"
        # 24 bits of mantissa lie far below what a trial tells
        with soundfile.SoundFile(path, "w", song_rate(recipe, sources), 2, "FLOAT", format="RF64") as file:
            for block in render(before, sources, progress=progress):
                file.write(block.T)
        source = FileSource(path)
        try:
            yield rest, {rest.buses[0].id: source}
        finally:
            source.close()
