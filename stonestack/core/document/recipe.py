"""A recipe: steps and the masks that limit them, to be used on any map of any surface."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from stonestack.core.document.base import Document, Hash
from stonestack.core.document.mask import Mask
from stonestack.core.document.surface import Step
from stonestack.core.tables.roles import Role

MOST_STEPS = 32


class Recipe(Document):
    """What is done to a map's look, apart from the map.

    Parameters
    ----------
    role : Role
        What it was made for; it may be used on any map that its steps suit.
    steps : tuple of Step
        Maps that they read are named by their roles.
    places : tuple of int
        For each step, how many of those come before it that lay its map out: derive it, or move
        texels. Where it is empty, all of them.
    derived : bool
        Whether its map was made of another.
    masks : tuple of Mask
        Those that the steps name, and those that these are made of; maps are named by their roles.
    files : dict of str to str
        What is laid over, drawn or read, by content hash, as base64: so that a recipe that is put
        out as a file has all it needs. Empty inside a project, where they are kept.
    """

    format: Literal["stone-stack-recipe"] = "stone-stack-recipe"
    version: Literal[1] = 1
    title: str = Field(min_length=1, max_length=80)
    role: Role = Role.COLOUR
    steps: tuple[Step, ...] = Field(min_length=1, max_length=MOST_STEPS)
    places: tuple[int, ...] = Field((), max_length=MOST_STEPS)
    derived: bool = False
    masks: tuple[Mask, ...] = Field((), max_length=64)
    files: dict[Hash, str] = Field(default_factory=dict, json_schema_extra={"default": {}})
