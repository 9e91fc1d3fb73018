"""What stages, buses, groups and branches are called."""

from __future__ import annotations

from tin_kettle.core.recipe.automation import targets
from tin_kettle.core.recipe.model import Recipe
from tin_kettle.core.stages.stage import Stage


def names(recipe: Recipe) -> dict[str, str]:
    """Id of all that a ride may name → its name."""
    return {
        name: part.declared.title if isinstance(part, Stage) else part.name or part.id
        for name, part in targets(recipe).items()
    }
