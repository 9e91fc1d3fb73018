"""Clipping that is heard: what it adds is no longer covered by the music."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from tin_kettle.core.engine.graph.meters import METER_HOP
from tin_kettle.core.recipe.model import Recipe
from tin_kettle.core.survey.finding import Finding
from tin_kettle.core.survey.survey import Survey

HEARD_DB = -20.0
"""Of the energy above 2 kHz over 400 ms. Noise is covered by tones of its own range down to some 20 dB below them
(Hellman 1972, *Asymmetry of masking between noise and tone*); beyond that it is a sound of its own."""


def clips_audibly(now: Survey, recipe: Recipe) -> Iterator[Finding]:
    """Stages that add so much of their own above 2 kHz."""
    for stage in recipe.stages():
        row = now.stages.get(stage.id, {}).get("level_new")
        if row is None or not stage.on or row.max() <= HEARD_DB:
            continue
        at, seconds = int(np.argmax(row)), METER_HOP / now.rate_hz * float(np.count_nonzero(row > HEARD_DB))
        new = 10.0 ** (float(row[at]) / 10.0)
        title, ease = stage.declared.title.lower(), stage.declared.ease
        yield Finding(
            f"heard-{stage.id}",
            f"the {title} distorts audibly",
            f"After the {title} {new:.1%} of the energy above 2 kHz is distortion, and more than "
            f"{10.0 ** (HEARD_DB / 10.0):.0%} for {seconds:.1f} s of the song: the music no longer masks it.",
            round(float(row[at]), 2),
            "dB",
            HEARD_DB,
            at_s=round(at * METER_HOP / now.rate_hz, 2),
            fix=ease.words if ease else None,
            stage={"id": stage.id, "params": ease.params(stage.params)} if ease else None,
        )
