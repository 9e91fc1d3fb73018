"""One job, done: from files into a file, whole or not at all. Runs on any worker that sees the files."""

from __future__ import annotations

import json
from contextlib import closing
from pathlib import Path
from typing import Any

from tin_kettle.core.atomic_files import written_beside
from tin_kettle.core.batch.jobs import Job, MeasureJob, RenderJob, SurveyJob
from tin_kettle.core.deliver.printing import PrintSettings, print_song
from tin_kettle.core.deliver.spec import tail_seconds
from tin_kettle.core.engine.measure_file import measure_file
from tin_kettle.core.engine.source import FileSource, opened
from tin_kettle.core.errors import AudioError, KettleError
from tin_kettle.core.recipe.model import Recipe
from tin_kettle.core.recipe.reading import load_recipe
from tin_kettle.core.survey.report import report
from tin_kettle.core.survey.survey import survey_song


def files_of(job: Job, folder: Path) -> dict[str, Path]:
    """Bus → file of what a job reads; a lone source has no bus yet and is called by nothing."""
    buses = getattr(job, "buses", None) or {"": job.source}
    return {bus_id: folder / name for bus_id, name in buses.items()}


def do(job: Job, folder: Path) -> None:
    """Make a job's result.

    Raises:
        KettleError: a file or the recipe is refused; the message says what would do.
    """
    out, files = folder / job.out, files_of(job, folder)
    for path in files.values():
        if path.resolve() == out.resolve():
            raise AudioError(f"{job.out} is the source itself; give another out")
    out.parent.mkdir(parents=True, exist_ok=True)
    if isinstance(job, MeasureJob):
        with closing(FileSource(files[""])) as source:
            _write(out, measure_file(source, None))
        return
    recipe = load_recipe(folder / job.recipe)
    with opened(_of_buses(recipe, files)) as sources:
        if isinstance(job, SurveyJob):
            # one thread a job: the others of its machine have jobs of their own
            now, received = (survey_song(one, sources, threads=1) for one in (recipe, recipe.as_received()))
            _write(out, report(recipe, now, received))
        else:
            print_song(recipe, sources, out, _settings(job))


def problem_of(job: Job, folder: Path) -> str | None:
    """Do a job; why it failed, in words, or None."""
    try:
        do(job, folder)
    except KettleError as refused:
        return str(refused)
    except OSError as problem:
        return f"{job.out} cannot be made ({problem.strerror}); see to the disk and the folder"
    except MemoryError:
        return "there is not enough memory; run fewer workers"
    except Exception as fault:  # noqa: BLE001  one job that fails stops nothing else
        return f"the program failed ({type(fault).__name__}: {fault})"
    return None


def _of_buses(recipe: Recipe, files: dict[str, Path]) -> dict[str, Path]:
    if "" not in files:
        return files
    if len(recipe.buses) > 1:
        listed = ", ".join(bus.id for bus in recipe.buses)
        raise AudioError(f"the recipe has several buses; give buses with a file for each of {listed}")
    return {recipe.buses[0].id: files[""]}


def _settings(job: RenderJob) -> PrintSettings:
    return PrintSettings(
        bits=job.bits,
        rate_hz=job.rate,
        dither=job.dither,
        seed=job.seed,
        band_limit=job.band_limit,
        tail_s=tail_seconds(job.tail),
        from_s=job.from_s,
        to_s=job.to_s,
        block_frames=job.block,
        threads=1,
    )


def _write(out: Path, told: dict[str, Any]) -> None:
    with written_beside(out) as beside:
        beside.write_text(json.dumps(told) + "\n", encoding="utf-8")
