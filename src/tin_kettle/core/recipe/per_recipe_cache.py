"""What is made of a recipe once and asked for by many."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Callable, Hashable
from typing import Generic, TypeVar

from tin_kettle.core.recipe.model import Recipe

Result = TypeVar("Result")
MOST_KEPT = 64


class PerRecipeCache(Generic[Result]):
    """Results of a function of recipes, kept for the last few of them.

    Recipes are told apart by identity: they never change, and comparing two documents takes longer than the function.

    Args:
        make: computes the result of a recipe and of what else it depends on.
    """

    def __init__(self, make: Callable[..., Result]) -> None:
        self._make = make
        # the recipe is kept as well: as long as it lives, nothing else has its identity
        self._kept: OrderedDict[Hashable, tuple[Recipe, Result]] = OrderedDict()

    def __call__(self, recipe: Recipe, *more: Hashable) -> Result:
        """The result for a recipe."""
        key = (id(recipe), *more)
        kept = self._kept.get(key)
        if kept is not None:
            return kept[1]
        result = self._make(recipe, *more)
        self._kept[key] = recipe, result
        while len(self._kept) > MOST_KEPT:
            try:
                self._kept.popitem(last=False)
            except KeyError:
                # another thread was quicker
                break
        return result
