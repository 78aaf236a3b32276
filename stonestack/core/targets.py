"""What a game demands of its textures. Data, not code: one entry a game."""

from __future__ import annotations

from pydantic import BaseModel

from stonestack.core.normals import Green
from stonestack.core.roles import Role


class Target(BaseModel):
    """What one game takes.

    Parameters
    ----------
    name, title : str
        In stored projects, and on screen.
    textures, materials : str
        Folders below a delivery, with forward slashes.
    largest : int
        Longest side it takes; sides are powers of two.
    green : Green
        Which way green points in its normal maps.
    slots : dict
        The word its material definitions use for each role that it knows.
    suffixes : dict
        Last words of file names that mean a role to this game, beside the usual ones.
    colours : frozenset of Role
        Maps beside the colour that hold colours too: specular, where this game tints it.
    smallest : int
        Shortest side it takes.
    square : bool
        Whether both sides have to be equal.
    """

    name: str
    title: str
    textures: str
    materials: str
    largest: int
    green: Green
    slots: dict[Role, str]
    suffixes: dict[str, Role] = {}
    colours: frozenset[Role] = frozenset()
    smallest: int = 4
    square: bool = False


TARGETS: dict[str, Target] = {
    target.name: target
    for target in (
        Target(
            name="saltglass",
            title="Saltglass",
            textures="textures",
            materials="materials",
            largest=2048,
            green=Green.UP,
            slots={
                Role.COLOUR: "colour",
                Role.NORMAL: "normal",
                Role.SPECULAR: "shine",
                Role.ALPHA: "opening",
            },
            suffixes={"shine": Role.SPECULAR, "opening": Role.ALPHA, "relief": Role.NORMAL},
            smallest=16,
        ),
    )
}
