"""What a bench edits and holds in its hand: a document that goes on from edit to edit, and how it is to be heard."""

from __future__ import annotations

from typing import Any

from tin_kettle.core.errors import KettleError, RecipeError
from tin_kettle.core.recipe.document_edits import patched
from tin_kettle.core.recipe.held_values import HeldValue, with_touches
from tin_kettle.core.recipe.model import Recipe
from tin_kettle.core.recipe.reading import parse_recipe
from tin_kettle.web.messages import AnyMessage, Edit, EditChange, Touches


class BenchDocument:
    """One listener's edits.

    Args:
        recipe: what is heard before the first.
    """

    def __init__(self, recipe: Recipe) -> None:
        self._recipe = recipe
        self._document: Any = None
        self._read: tuple[Any, Recipe] | None = None
        self._touches: list[HeldValue] = []
        self.unkept: tuple[str, Recipe] | None = None
        """What the last edit is called, and its recipe, where the bench means to keep it."""

    def take(self, message: AnyMessage) -> Recipe | None:
        """The recipe as it is to be heard from a message on, with what is in the hand; None where nothing changes.

        Raises:
            KettleError: it is refused, or changes an edit that never came; what is heard stays.
        """
        if isinstance(message, Touches):
            found = with_touches(self._recipe, message.touches)
            self._touches = message.touches
            return found
        if isinstance(message, Edit):
            self._document = message.recipe
        elif isinstance(message, EditChange):
            if self._document is None:
                raise KettleError("the edit that this one changes was not taken; reload the bench")
            self._document = patched(self._document, message.changes)
        else:
            return None
        self._recipe = parse_recipe(self._document, self._read)
        self._read = self._document, self._recipe
        self.unkept = None if message.label is None else (message.label, self._recipe)
        try:
            return with_touches(self._recipe, self._touches)
        except RecipeError:
            # what was in the hand is gone
            self._touches = []
            return self._recipe
