"""What a song is from section to section: loudness, range, peak, width, and the hardest work of its last ceiling."""

from __future__ import annotations

from typing import Any

from tin_kettle.core.measure import loudness
from tin_kettle.core.recipe.model import Recipe
from tin_kettle.core.survey.before_after import describe_passage
from tin_kettle.core.survey.survey import Survey


def by_section(found: Survey, recipe: Recipe) -> list[dict[str, Any]]:
    """A row a section.

    ``work_db`` is the most that the master's last stage with a ceiling takes there, null without one; ``side_share`` is
    of all energy, 0–1.
    """
    ceilings = [stage for stage in recipe.master if stage.on and stage.declared.hold]
    rows = []
    for section in recipe.sections:
        start, end = (round(at * found.rate_hz) for at in (section.start_s, section.end_s))
        end = min(end, found.frames)
        if start >= end:
            continue
        figures = describe_passage(found, start, end)
        slots = found.passage(found.slots, start, end)
        both, mid = loudness.stereo_energy(slots).sum(), 0.5 * loudness.mono_energy(slots).sum()
        work = found.effort_db(ceilings[-1].id, start, end) if ceilings else None
        rows.append(
            {
                "id": section.id,
                "name": section.name or section.id,
                "start_s": section.start_s,
                "integrated_lufs": figures["integrated_lufs"],
                "max_short_term_lufs": figures["max_short_term_lufs"],
                "loudness_range_lu": figures["loudness_range_lu"],
                "true_peak_dbtp": figures["true_peak_dbtp"],
                "work_db": None if work is None or not work.size else round(float(work.min()), 2),
                "side_share": round(float(1.0 - 2.0 * mid / both), 4) if both > 0.0 else None,
            }
        )
    return rows
