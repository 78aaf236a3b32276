"""What a game demands of what it is given. Data: one JSON file a target, checked against this."""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel, ConfigDict, Field

from stonestack.core.files.blocks.formats import BlockFormat
from stonestack.core.picture.normals import Green
from stonestack.core.tables.naming import filled
from stonestack.core.tables.roles import ROLES, Role


class Target(BaseModel):
    """What one game takes.

    Parameters
    ----------
    name, title, hint : str
        In stored projects, on screen, and one line on whom it is for.
    textures : str
        Where a texture lies below a delivery, with ``{name}`` for its name; forward slashes.
    texture_name : str
        What a texture is called: ``{surface}`` and ``{suffix}``.
    names : str
        ``code``: names of files hold small letters, digits and underscores; ``any``: whatever
        a file can be called.
    name_suffixes : dict
        Suffixes that differ from the roles' own.
    formats : dict
        Formats that it takes for a role, the usual one first; the role's own where none are said.
    header : str
        Which DDS header it reads.
    smallest, largest : int
        Shortest and longest side; sides are powers of two.
    square : bool
        Whether both sides have to be equal.
    green : Green
        Which way green points in its normal maps.
    slots : dict
        The word its material definitions use for each role that it knows.
    delivered : list of Role
        Roles that go out unless the artist says otherwise.
    suffixes : dict
        Last words of file names that mean a role to this game, beside the usual ones.
    colours : list of Role
        Maps beside the colour that hold colours too: specular, where this game tints it.
    materials : str
        Where a definition lies below a delivery, with ``{name}``; empty where it has none.
    manifest : str
        Name of the file that lists a delivery; empty where it has none.
    installs : str
        ``layers``: a delivery is a folder of its own that the game lists; ``files``: files are put
        where the artist says.
    own_textures : str
        Where the game's own textures lie below its folder, with ``{name}``; empty where unknown.
    known_by : list of str
        Files below a folder that tell that it is this game.
    room : bool
        Whether the sample game's room can show it.
    """

    model_config = ConfigDict(frozen=True, extra="forbid")

    name: str = Field(pattern="^[a-z][a-z0-9_]*$")
    title: str
    hint: str
    textures: str = "{name}.dds"
    texture_name: str = "{surface}{suffix}"
    names: Literal["code", "any"] = "code"
    name_suffixes: dict[Role, str] = {}
    formats: dict[Role, list[BlockFormat]] = {}
    header: Literal["dx10", "legacy"] = "dx10"
    smallest: int = 4
    largest: int = 4096
    square: bool = False
    green: Green = Green.UP
    slots: dict[Role, str] = {}
    delivered: list[Role]
    suffixes: dict[str, Role] = {}
    colours: list[Role] = []
    materials: str = ""
    manifest: str = ""
    installs: Literal["layers", "files"] = "files"
    own_textures: str = ""
    known_by: list[str] = []
    room: bool = False

    def formats_of(self, role: Role) -> tuple[BlockFormat, ...]:
        """Return the formats that it takes for a role, the usual one first."""
        return tuple(self.formats.get(role) or ROLES[role].formats)

    def suffix_of(self, role: Role) -> str:
        """Return what stands behind a surface's name in the file names of a role."""
        return self.name_suffixes.get(role, ROLES[role].suffix)

    def usual_name(self, surface: str, role: Role) -> str:
        """Return what a surface's map of a role is called, without extension."""
        return filled(self.texture_name, surface=surface, suffix=self.suffix_of(role))

    def texture_path(self, name: str) -> str:
        """Return where a texture lies below a delivery."""
        return filled(self.textures, name=name)

    def material_path(self, name: str) -> str:
        """Return where a definition lies below a delivery."""
        return filled(self.materials, name=name)
