"""All that a listener asked for, in one piece: whatever is taken up again is brought to this."""

from __future__ import annotations

from dataclasses import dataclass

from tin_kettle.core.engine.graph.graph import NO_TAP
from tin_kettle.core.engine.graph.stage_instance import Tap
from tin_kettle.core.engine.live.render_path import Piece
from tin_kettle.core.recipe.model import Recipe
from tin_kettle.core.stages.processor import Processor


@dataclass(frozen=True)
class ListeningState:
    """What is to be heard.

    Args:
        recipe: what *now* sounds like; ``revision`` names it in the blocks.
        other, other_name: what it is compared with.
        ears: what stands between now and the other and the ear.
        tap: the stage of now of which something else than the result is heard, and what.
        silent: ids of buses and branches that are not heard.
    """

    recipe: Recipe
    revision: int
    other: Piece
    other_name: str
    ears: tuple[Processor, Processor]
    tap: tuple[str | None, Tap] = NO_TAP
    silent: frozenset[str] = frozenset()
