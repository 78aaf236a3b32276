"""Materials: which maps a surface shows in the game, and how it answers to light and steps."""

from __future__ import annotations

import json
from enum import StrEnum
from typing import Literal

from pydantic import BaseModel, Field, field_validator

from stonestack.core.blocks.formats import BlockFormat
from stonestack.core.roles import ROLES, Role
from stonestack.core.surface import Document, Surface, checked_name
from stonestack.core.targets import Target


class Substance(StrEnum):
    """What a surface is made of, for footsteps and rain."""

    STONE = "stone"
    TILE = "tile"
    PLASTER = "plaster"
    METAL = "metal"
    GLASS = "glass"
    WOOD = "wood"
    EARTH = "earth"


class Material(Document):
    """A material definition, apart from the maps that its surface gives it."""

    title: str = Field(min_length=1, max_length=80)
    name: str
    substance: Substance = Field(
        Substance.STONE, title="Substance", description="What it is made of"
    )
    shine: float = Field(
        0.3, ge=0, le=1, multiple_of=0.01, title="Gloss", description="How tight reflections are"
    )
    cutout: bool = Field(False, title="Cut out", description="Open where alpha is below one half")
    metres: float = Field(
        2.0,
        ge=0.1,
        le=50,
        multiple_of=0.1,
        title="Width",
        description="Metres that one tile covers",
    )

    @field_validator("name")
    @classmethod
    def _plain_name(cls, name: str) -> str:
        return checked_name(name)


class Finding(BaseModel):
    """Something to look at: where it is, in words, and what to do."""

    level: Literal["good", "look", "fault"]
    words: str
    fix: str = ""


def linked(surface: Surface, target: Target) -> dict[Role, str]:
    """Return the file name of each map that a definition links, without extension."""
    return {
        m.role: m.file_name
        for m in surface.maps
        if m.delivered and m.origin is not None and m.role in target.slots
    }


def definition(material: Material, surface: Surface, target: Target) -> bytes:
    """Write the material definition file of a game.

    Paths are relative to the definition's own folder, with forward slashes.
    """
    up = "../" * (material_path(material, target).count("/"))
    textures = {
        target.slots[role]: f"{up}{target.textures}/{name}.dds"
        for role, name in linked(surface, target).items()
    }
    whole = {
        "material": material.name,
        "title": material.title,
        "substance": str(material.substance),
        "gloss": material.shine,
        "cutout": material.cutout,
        "metres": material.metres,
        "textures": textures,
    }
    return (json.dumps(whole, indent=2, ensure_ascii=False) + "\n").encode()


def material_path(material: Material, target: Target) -> str:
    """Return where a material's definition lies below a delivery."""
    return f"{target.materials}/{material.name}.json"


def check(material: Material, surface: Surface, target: Target) -> list[Finding]:
    """Return what is wrong with a material's links."""
    found: list[Finding] = []
    links = linked(surface, target)
    for role in (Role.COLOUR, Role.NORMAL, Role.SPECULAR):
        if role not in links:
            found.append(
                Finding(
                    level="fault" if role is Role.COLOUR else "look",
                    words=f"No {ROLES[role].title.lower()} map is linked",
                    fix="Give the map an origin on the bench, and let it be delivered.",
                )
            )
    colour = next((m for m in surface.maps if m.role is Role.COLOUR), None)
    cut = colour is not None and colour.format is BlockFormat.BC1
    if material.cutout and cut and Role.ALPHA not in links:
        found.append(
            Finding(
                level="fault",
                words="It is cut out, but no alpha goes along",
                fix="Store the colour as BC3, or deliver the alpha map.",
            )
        )
    names = list(links.values())
    for name in sorted({n for n in names if names.count(n) > 1}):
        found.append(
            Finding(
                level="fault", words=f"Two maps are called {name}", fix="Rename one on the bench."
            )
        )
    return found or [Finding(level="good", words="All links are there")]
