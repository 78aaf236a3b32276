"""Materials: which maps a surface shows in the game, and how it answers to light and steps."""

from __future__ import annotations

import json
from enum import StrEnum

from pydantic import Field, field_validator

from stonestack.core.document import Document, Id, Surface, checked_name
from stonestack.core.document.leaving import Leaving, leaving
from stonestack.core.kinds.findings import Finding
from stonestack.core.tables.roles import Role
from stonestack.core.tables.targets import Target

SCHEMA = 2
"""Version of the form in which materials are stored."""


class PhysicalKind(StrEnum):
    """What a surface is in the game's world, for footsteps and rain."""

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
    surface: Id
    physical: PhysicalKind = Field(
        PhysicalKind.STONE, title="Physical kind", description="What it is in the game's world"
    )
    gloss: float = Field(
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


def linked(surface: Surface, target: Target) -> dict[Role, Leaving]:
    """Return how each map leaves that a definition links."""
    leaves = {m.role: leaving(surface, m, target) for m in surface.maps}
    return {r: one for r, one in leaves.items() if one.delivered and r in target.slots}


def definition(material: Material, surface: Surface, target: Target) -> bytes:
    """Write the material definition file of a game.

    Paths are relative to the definition's own folder, with forward slashes.
    """
    up = "../" * target.material_path(material.name).count("/")
    textures = {
        target.slots[role]: f"{up}{one.path}" for role, one in linked(surface, target).items()
    }
    whole = {
        "material": material.name,
        "title": material.title,
        "physical": str(material.physical),
        "gloss": material.gloss,
        "cutout": material.cutout,
        "metres": material.metres,
        "textures": textures,
    }
    return (json.dumps(whole, indent=2, ensure_ascii=False) + "\n").encode()


def check(material: Material, surface: Surface, target: Target) -> list[Finding]:
    """Return what is wrong with a material's links."""
    found: list[Finding] = []
    links = linked(surface, target)
    for role in target.slots:
        m = surface.of_role(role)
        if role in links or (m is None and not role.info.usual):
            continue
        found.append(
            Finding(
                level="fault" if role is Role.COLOUR else "look",
                words=f"No {role.info.title.lower()} map is linked",
                fix="Give the map an origin on the bench, and let it be delivered.",
            )
        )
    colour = links.get(Role.COLOUR)
    cut = colour is not None and colour.format.info.keeps < 4
    if material.cutout and cut and Role.ALPHA not in links:
        found.append(
            Finding(
                level="fault",
                words="It is cut out, but no alpha goes along",
                fix="Store the colour as BC3, or deliver the alpha map.",
            )
        )
    names = [one.name for one in links.values()]
    for name in sorted({n for n in names if names.count(n) > 1}):
        found.append(
            Finding(
                level="fault", words=f"Two maps are called {name}", fix="Rename one on the bench."
            )
        )
    return found or [Finding(level="good", words="All links are there")]
