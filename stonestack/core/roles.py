"""What a map is for, and what follows from that: the one table of roles."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum

from stonestack.core.blocks.formats import BlockFormat
from stonestack.core.image import Space


class Role(StrEnum):
    """What a map is for."""

    COLOUR = "colour"
    NORMAL = "normal"
    SPECULAR = "specular"
    HEIGHT = "height"
    ALPHA = "alpha"


@dataclass(frozen=True)
class RoleInfo:
    """What follows from a role.

    Parameters
    ----------
    title : str
        The name on screen.
    space : Space
        What its numbers mean while it is worked on.
    formats : tuple of BlockFormat
        Formats that can carry it, the usual one first.
    suffix : str
        What is put behind the surface's name in its file names.
    hint : str
        One line for the screen.
    """

    title: str
    space: Space
    formats: tuple[BlockFormat, ...]
    suffix: str
    hint: str


ROLES: dict[Role, RoleInfo] = {
    Role.COLOUR: RoleInfo(
        "Colour",
        Space.LINEAR,
        (BlockFormat.BC1, BlockFormat.BC3, BlockFormat.BC7, BlockFormat.RGBA8),
        "_c",
        "What the surface looks like in even white light",
    ),
    Role.NORMAL: RoleInfo(
        "Normal",
        Space.VECTOR,
        (BlockFormat.BC5, BlockFormat.BC7, BlockFormat.BC3, BlockFormat.BC1, BlockFormat.RGBA8),
        "_n",
        "Which way each point faces",
    ),
    Role.SPECULAR: RoleInfo(
        "Specular",
        Space.DATA,
        (BlockFormat.BC4, BlockFormat.BC1, BlockFormat.BC3, BlockFormat.BC7, BlockFormat.RGBA8),
        "_s",
        "How strongly each point reflects the light",
    ),
    Role.HEIGHT: RoleInfo(
        "Height",
        Space.DATA,
        (BlockFormat.BC4, BlockFormat.BC1, BlockFormat.BC3, BlockFormat.BC7, BlockFormat.RGBA8),
        "_h",
        "How far each point stands out",
    ),
    Role.ALPHA: RoleInfo(
        "Alpha",
        Space.DATA,
        (BlockFormat.BC4, BlockFormat.BC1, BlockFormat.BC3, BlockFormat.BC7, BlockFormat.RGBA8),
        "_a",
        "Where the surface is solid and where it is open",
    ),
}
