"""A project's own settings: what it is called, which games it is for, and where they lie."""

from __future__ import annotations

from pydantic import Field, field_validator

from stonestack.core.document.base import Document
from stonestack.core.document.recipe import Recipe

SCHEMA = 1


class Settings(Document):
    """A project's settings.

    Parameters
    ----------
    title : str
    targets : tuple of str
        Names of targets; the first is the one that is shown.
    game_folder : str or None
    put_into : str
        The folder inside the game where loose files go, with forward slashes; empty for the
        game folder itself.
    texels_per_metre : int
    presets : tuple of Recipe
        Recipes that are kept for any map of the project.
    """

    title: str = Field(min_length=1, max_length=80, title="Title")
    targets: tuple[str, ...] = Field(min_length=1, max_length=8)
    game_folder: str | None = None
    put_into: str = Field(
        "",
        max_length=400,
        title="Folder inside the game",
        description="Where loose files go; empty for the game folder itself",
    )
    texels_per_metre: int = Field(
        512,
        ge=8,
        le=16384,
        title="Texels a metre",
        description="Every surface is held against this, so that one pattern keeps one scale",
    )
    presets: tuple[Recipe, ...] = Field((), max_length=200, title="Presets")

    @field_validator("put_into")
    @classmethod
    def _inside(cls, path: str) -> str:
        parts = [p for p in path.replace("\\", "/").split("/") if p not in ("", ".")]
        if any(p == ".." or ":" in p or any(ord(c) < 32 for c in p) for p in parts):
            raise ValueError(
                "The folder has to lie inside the game; write it without .. or a drive."
            )
        return "/".join(parts)
