"""Findings: what a song's survey says about it. Each has a measure, the reason in a sentence and often a fix to try.

Rules look at the song as it is now, so that a finding goes when it is mended; only what no stage can mend is looked for
in what was received.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import replace

from tin_kettle.core.recipe.automation import targets
from tin_kettle.core.recipe.model import Recipe
from tin_kettle.core.recipe.reading import dump_recipe, parse_recipe
from tin_kettle.core.survey.finding import Finding
from tin_kettle.core.survey.rules.automation import rides_jump
from tin_kettle.core.survey.rules.clipping import clips_audibly
from tin_kettle.core.survey.rules.dynamics import moves_badly
from tin_kettle.core.survey.rules.ends import ends_cost
from tin_kettle.core.survey.rules.hard_work import works_hard
from tin_kettle.core.survey.rules.image import costs_mono, lopsided, low_end_wide, mono_loss
from tin_kettle.core.survey.rules.low_end import loose_low
from tin_kettle.core.survey.rules.peaks import clipped, hits_alone, needles, offset
from tin_kettle.core.survey.rules.resonances import comes_and_goes, rings, sharp
from tin_kettle.core.survey.survey import Survey

RULES: tuple[Callable[[Survey], Iterator[Finding]], ...] = (
    ends_cost,
    low_end_wide,
    loose_low,
    rings,
    comes_and_goes,
    sharp,
    lopsided,
    offset,
    hits_alone,
    mono_loss,
)


def find(now: Survey, received: Survey, recipe: Recipe) -> list[Finding]:
    """All findings, those with a place in the order of the song.

    Args:
        now: survey of the song through ``recipe``.
        received: survey of the sum of its sources.
    """
    found = [finding for rule in RULES for finding in rule(now)]
    found += [*needles(now, received), *clipped(received), *works_hard(now, recipe), *moves_badly(now, recipe)]
    found += clips_audibly(now, recipe)
    found += [*rides_jump(received, recipe), *costs_mono(now, received)]
    # measures stand in hops: the last may reach beyond the end of a short song
    found = [replace(one, at_s=None if one.at_s is None else min(one.at_s, now.seconds)) for one in found]
    return sorted(found, key=lambda finding: (finding.at_s is None, finding.at_s or 0.0))


def with_fix(recipe: Recipe, finding: Finding) -> Recipe:
    """The recipe with a finding's fix tried.

    Raises:
        ValueError: the finding has none.
    """
    if finding.stage is None:
        raise ValueError(f"{finding.id} has no fix")
    fix = finding.stage

    there = recipe.stage(fix["id"])
    if there is not None and fix.get("kind", there.kind) == there.kind:
        params = type(there.params).model_validate({**there.params.model_dump(), **fix["params"]})
        mended = there.model_copy(update={"params": params})
        return parse_recipe(dump_recipe(recipe.map_stages(lambda stage: mended if stage.id == there.id else stage)))
    taken = set(targets(recipe)) | {section.id for section in recipe.sections}
    name = fix["id"]
    while name in taken:
        name += "-again"
    document = dump_recipe(recipe)
    document["master"].insert(0, {**fix, "id": name})
    return parse_recipe(document)
