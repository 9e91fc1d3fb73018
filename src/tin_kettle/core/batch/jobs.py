"""A file of jobs: renders, surveys and measures, each a pure document; run as a module, it prints the
schema.
"""

from __future__ import annotations

import json
import sys
from pathlib import Path
from typing import Annotated, Any, Literal

from pydantic import BaseModel, BeforeValidator, ConfigDict, Field, model_validator

from tin_kettle.core.deliver.spec import Tail
from tin_kettle.core.engine.parallel import BLOCK_FRAMES
from tin_kettle.core.errors import JobsError
from tin_kettle.core.recipe.reading import read_as, read_document

MOST_JOBS = 1_000_000


def _depth(given: Any) -> Any:
    """24 and ``"24"`` are the same."""
    return str(given) if isinstance(given, int) and not isinstance(given, bool) else given


class _Part(BaseModel):
    model_config = ConfigDict(extra="forbid", strict=True, frozen=True, allow_inf_nan=False, populate_by_name=True)


class _Job(_Part):
    """What all jobs have. Paths are relative to the file of jobs.

    Args:
        source: the file of a recipe's one bus; ``buses`` (id → file) where there are several.
    """

    id: str = Field(min_length=1, max_length=200)
    out: str = Field(min_length=1)
    source: str | None = None


class RenderJob(_Job):
    """A print, with the options of ``render`` by their long names."""

    do: Literal["render"]
    recipe: str
    buses: dict[str, str] | None = None
    bits: Annotated[Literal["16", "24", "32f"], BeforeValidator(_depth)] = "24"
    rate: int | None = Field(default=None, ge=8000, le=384000)
    dither: Literal["none", "tpdf", "shaped"] | None = None
    seed: int = Field(default=0, ge=0, lt=2**20)
    band_limit: bool = False
    tail: Tail = "none"
    from_s: float | None = Field(default=None, ge=0, alias="from")
    to_s: float | None = Field(default=None, ge=0, alias="to")
    block: int = Field(default=BLOCK_FRAMES, ge=1, le=1 << 20)


class SurveyJob(_Job):
    """What a recipe does to a whole song, as ``survey --json`` tells it."""

    do: Literal["survey"]
    recipe: str
    buses: dict[str, str] | None = None


class MeasureJob(_Job):
    """What a file is, as ``measure --json`` tells it."""

    do: Literal["measure"]


Job = Annotated[RenderJob | SurveyJob | MeasureJob, Field(discriminator="do")]


class Jobs(_Part):
    """The file."""

    model_config = ConfigDict(title="Tin Kettle jobs")

    format: Literal["tin-kettle-jobs"]
    version: Literal[1]
    jobs: tuple[Job, ...] = Field(max_length=MOST_JOBS, strict=False)

    @model_validator(mode="after")
    def _apart(self) -> Jobs:
        for what in ("id", "out"):
            named = [getattr(job, what) for job in self.jobs]
            twins = {name for name in named if named.count(name) > 1} if len(set(named)) < len(named) else set()
            if twins:
                raise ValueError(f"two jobs have the {what} '{min(twins)}'; each needs its own")
        for job in self.jobs:
            buses = getattr(job, "buses", None)
            if (job.source is None) == (buses is None):
                raise ValueError(f"job '{job.id}' has {'no source' if buses is None else 'source and buses'}; give one")
        return self


def parse_jobs(document: object) -> Jobs:
    """Check a decoded file of jobs.

    Raises:
        JobsError: with the JSON path, the value and what is allowed.
    """
    return read_as(Jobs, document, JobsError)


def check_paths(jobs: Jobs, folder: Path) -> None:
    """Refuse jobs of which one would write over what another one reads or writes.

    Raises:
        JobsError: two ways to the same file, by whatever names, are in the message.
    """
    inputs: dict[Path, str] = {}
    for i, job in enumerate(jobs.jobs):
        for name in inputs_of(job):
            inputs.setdefault((folder / name).resolve(), f"$.jobs[{i}]")
    outputs: dict[Path, str] = {}
    for i, job in enumerate(jobs.jobs):
        out, where = (folder / job.out).resolve(), f"$.jobs[{i}].out"
        if out in inputs:
            raise JobsError(where, f"'{job.out}' is read by {inputs[out]}; write to another file")
        if out in outputs:
            raise JobsError(where, f"'{job.out}' is written by {outputs[out]} as well; each job needs its own")
        outputs[out] = f"$.jobs[{i}]"


def inputs_of(job: Job) -> list[str]:
    """Names of all files that a job reads."""
    buses = getattr(job, "buses", None) or {}
    return [name for name in (job.source, *buses.values(), getattr(job, "recipe", None)) if name is not None]


def load_jobs(path: Path) -> Jobs:
    """Read a file of jobs.

    Raises:
        JobsError: it cannot be read, is no JSON, or is refused.
    """
    return parse_jobs(read_document(path, "jobs", JobsError))


if __name__ == "__main__":
    sys.stdout.write(json.dumps(Jobs.model_json_schema(), indent=2, ensure_ascii=False) + "\n")
