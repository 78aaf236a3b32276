"""The edit that puts a recipe on a map."""

from __future__ import annotations

from typing import Literal

from stonestack.core.document import Document, Id, Surface, recipes
from stonestack.core.document.recipe import Recipe


class PutRecipe(Document):
    """Put a recipe's steps at a map's end, or in place of those that are there."""

    kind: Literal["put_recipe"] = "put_recipe"
    map: Id
    recipe: Recipe
    instead: bool = False

    def apply(self, surface: Surface) -> Surface:
        """Add its steps, and the masks that they need."""
        return recipes.put_on(surface, self.map, self.recipe, self.instead)

    def words(self, before: Surface) -> str:
        """Say what changed."""
        return f"{before.map(self.map).title}: recipe {self.recipe.title}"
