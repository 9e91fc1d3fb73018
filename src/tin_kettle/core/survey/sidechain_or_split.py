"""Two ways to spare the lows of one compressor: it does not hear them, or it does not touch them.

The first is a filter before the detector: everything still goes down together, for less reason. The second is a split:
the lows go around the compressor. What each does to the low end is measured on the song.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from tin_kettle.core.dsp.crossover import crossover_low
from tin_kettle.core.dsp.svf import svf_cascade
from tin_kettle.core.engine.graph.meters import METER_HOP, Series
from tin_kettle.core.engine.graph.traversal import Metered
from tin_kettle.core.engine.offline import song_rate
from tin_kettle.core.engine.passage import Passage
from tin_kettle.core.engine.source import Source
from tin_kettle.core.errors import RecipeError
from tin_kettle.core.recipe.automation import targets
from tin_kettle.core.recipe.extract import up_to
from tin_kettle.core.recipe.model import STAGES, Chain, Owner, Recipe
from tin_kettle.core.recipe.reading import dump_recipe, parse_recipe
from tin_kettle.core.stages.compressor import CompressorParams, DetectorFilter
from tin_kettle.core.stages.number_text import db, hz
from tin_kettle.core.stages.split import SplitParams
from tin_kettle.core.stages.stage import Branch, Stage
from tin_kettle.core.survey.gain_reduction import excerpt

USUAL_HZ = 100.0
HIGHEST_HZ = 500.0
COLUMNS = 400
WORKS_DB = 0.3


@dataclass(frozen=True)
class TwoTrials:
    """Both ways, deaf to the lows first.

    Args:
        gains_db: (2, columns) strongest gain along the passage.
        low_db: change of what lies below the corner, each.
        says: a sentence each, with the song's own figures.
    """

    hz: float
    recipes: tuple[Recipe, Recipe]
    gains_db: NDArray[np.float64]
    low_db: tuple[float, float]
    says: tuple[str, str]


def two_ways(recipe: Recipe, stage_id: str, sources: Mapping[str, Source], start: int, end: int) -> TwoTrials:
    """The same setting both ways, and what each does over a passage of at most 20 s.

    Raises:
        RecipeError: there is no such compressor.
    """
    stage = recipe.stage(stage_id)
    if stage is None or not isinstance(stage.params, CompressorParams):
        raise RecipeError("stage", f"'{stage_id}' is no compressor of this song; choose one")
    passes = [f for f in stage.params.detector_filters if f.kind == "high_pass" and f.hz <= HIGHEST_HZ]
    corner = passes[0].hz if passes else USUAL_HZ
    split_id = _fresh(recipe, stage_id)
    deaf, apart = _deaf(recipe, stage_id, corner), _apart(recipe, stage_id, split_id, corner)
    span = excerpt(sources, start, end)
    rate_hz = song_rate(recipe, sources)
    before = _low_power(_played(up_to(recipe, stage_id, False), sources, *span)[0], corner, rate_hz)
    told = []
    for made, upto in ((deaf, stage_id), (apart, split_id)):
        sound, gain_db = _played(up_to(made, upto, True), sources, *span, stage_id)
        told.append((gain_db, float(10.0 * np.log10(_low_power(sound, corner, rate_hz) / before))))
    (gain_a, low_a), (gain_b, low_b) = told
    works = [gain[gain < -WORKS_DB] for gain in (gain_a, gain_b)]
    off = [float(-w.mean()) if w.size else 0.0 for w in works]
    makeup = stage.params.makeup_db
    says = (
        f"The detector ignores everything below {hz(corner)}; all frequencies go down together, by "
        f"{db(off[0], signed=False)} where it works. Below {hz(corner)} the passage is {_change(low_a - makeup)}.",
        f"The lows below {hz(corner)} are not compressed ({_change(low_b)}). Everything above goes down by "
        f"{db(off[1], signed=False)} where it works, so the lows are that much louder against it.",
    )
    return TwoTrials(corner, (deaf, apart), np.stack([_columns(gain_a), _columns(gain_b)]), (low_a, low_b), says)


def _change(change_db: float) -> str:
    return f"{db(abs(change_db), signed=False)} {'louder' if change_db > 0 else 'quieter'}"


def _deaf(recipe: Recipe, stage_id: str, corner: float) -> Recipe:
    def changed(params: CompressorParams) -> CompressorParams:
        others = tuple(f for f in params.detector_filters if f.kind != "high_pass")[:2]
        heard = (DetectorFilter(kind="high_pass", hz=corner, slope=12), *others)
        return params.model_copy(update={"detector_filters": heard})

    return recipe.map_stages(
        lambda stage: (
            stage.model_copy(update={"params": changed(stage.params)})  # type: ignore[arg-type]
            if stage.id == stage_id
            else stage
        )
    )


def _fresh(recipe: Recipe, stage_id: str) -> str:
    """An id for a split around a stage; its branches are named after it."""
    taken = set(targets(recipe)) | {section.id for section in recipe.sections}
    name = f"{stage_id[:40]}-parts"
    while {name, f"{name}-lows", f"{name}-rest"} & taken:
        name += "2"
    return name


def _apart(recipe: Recipe, stage_id: str, name: str, corner: float) -> Recipe:
    def wrapped(chain: Chain, _owner: Owner | None) -> Chain:
        made = []
        for stage in chain:
            if stage.id != stage_id:
                made.append(stage)
                continue
            assert isinstance(stage.params, CompressorParams)
            rest = tuple(f for f in stage.params.detector_filters if f.kind != "high_pass")
            inner = stage.model_copy(update={"params": stage.params.model_copy(update={"detector_filters": rest})})
            made.append(_split(name, corner, inner))
        return tuple(made)

    # what is put together is checked like what is read: splits may stand too deep
    return parse_recipe(dump_recipe(recipe.map_chains(wrapped)))


def _split(name: str, corner: float, inner: Stage) -> Stage:
    branches = (
        Branch(id=f"{name}-lows", name="Lows"),
        Branch(id=f"{name}-rest", name="Rest", chain=(inner,)),
    )
    params = SplitParams(by="bands", crossovers_hz=(corner,), branches=branches)
    return STAGES["split"](id=name, kind="split", params=params)


def _played(
    recipe: Recipe, sources: Mapping[str, Source], start: int, end: int, stage_id: str | None = None
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """The passage, (2, frames), and the gain of a stage along it, a value every ``METER_HOP``."""
    passage = Passage(recipe, sources, start, end)
    passage.graph.meter(True)
    series = Series()

    def read(part: Metered) -> None:
        if part.id == stage_id and part.reading is not None:
            series.add(part.reading)

    blocks = list(passage.blocks(read))
    hops = -(-(end - start) // METER_HOP)
    gain_db = series.between(passage.early_frames // METER_HOP, hops).get("effort_db", np.zeros(hops))
    return np.concatenate(blocks, axis=1), gain_db


def _low_power(sound: NDArray[np.float64], corner: float, rate_hz: float) -> float:
    low = np.ascontiguousarray(sound)
    svf_cascade(low, crossover_low(corner, rate_hz), np.zeros((2, 2, 2)))
    return max(float(np.mean(low**2)), 1e-20)


def _columns(gain_db: NDArray[np.float64]) -> NDArray[np.float64]:
    edges = np.minimum(np.arange(COLUMNS) * gain_db.size // COLUMNS, gain_db.size - 1)
    return np.minimum.reduceat(gain_db, np.maximum.accumulate(edges))
