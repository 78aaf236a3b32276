"""Trial of the guess of what a surface is made of: pictures of a known matter, by their look alone.

Tints, sizes and lights are drawn from the seed and not from the matter, so that many a picture
could be of several; what counts is that the guess is as often right as it says.
"""

from __future__ import annotations

import itertools
from collections.abc import Iterator, Sequence
from dataclasses import dataclass

import numpy as np

from stonestack.core.judge.matter_guess import guess_matter
from stonestack.core.picture import colour
from stonestack.core.picture.image import Floats, Picture, Space
from stonestack.core.tables.matters import Matter
from stonestack.demo.paint import Canvas
from stonestack.trials import matters, scenes

SIDE = 256
_LIGHTS = ("overcast", "side")
_STEPS = (0.0, 0.2, 0.3, 0.4, 0.5, 0.6, 0.8, 1.0)
_SAID = 0.4
LIT: dict[str, Matter] = {
    "plaster": Matter.PLASTER,
    "sand": Matter.EARTH,
    "gravel": Matter.STONE,
    "cobbles, dark joints": Matter.STONE,
    "cobbles, pale joints": Matter.STONE,
    "bricks, dark joints": Matter.BRICK,
    "bricks, pale joints": Matter.BRICK,
    "tiles, dark joints": Matter.CERAMIC,
    "tiles, pale joints": Matter.CERAMIC,
    "planks": Matter.WOOD,
    "weave": Matter.CLOTH,
    "rock": Matter.STONE,
    "pitted metal": Matter.RUSTED_METAL,
    "leather": Matter.LEATHER,
    "print: granite": Matter.STONE,
}
"""Scenes of known height, by what they show."""
DRAWN: dict[str, Matter] = {
    "sand": Matter.EARTH,
    "plaster": Matter.PLASTER,
    "rust": Matter.RUSTED_METAL,
    "gravel": Matter.STONE,
    "cobbles": Matter.STONE,
    "grass": Matter.PLANTS,
    "wood": Matter.WOOD,
    "granite": Matter.STONE,
    "bark": Matter.WOOD,
    "wall": Matter.BRICK,
    "tiles": Matter.CERAMIC,
    "planks": Matter.WOOD,
    "hexagons": Matter.CERAMIC,
    "weave": Matter.CLOTH,
}
"""Matters that are drawn with their light, by what they are."""


@dataclass(frozen=True)
class Guessed:
    """One picture: what it shows, what it was taken for, and how surely."""

    shows: Matter
    taken_for: Matter
    sure: float

    @property
    def right(self) -> bool:
        """Whether it was taken for what it shows."""
        return self.shows is self.taken_for


def guesses(seed: int) -> list[Guessed]:
    """Draw all pictures of a seed, and guess."""
    found = []
    for ground, matter in LIT.items():
        scene = scenes.scene(ground, seed, SIDE)
        for name in _LIGHTS:
            stored = scenes.photograph(scene, scenes.lights(seed)[name], seed)
            found.append(_guess(colour.bytes_to_linear(stored), matter))
    for name, matter in DRAWN.items():
        values = matters.drawn(name, Canvas(SIDE, SIDE, seed, True))
        found.append(_guess(colour.to_linear(np.ascontiguousarray(values, np.float32)), matter))
    return found


def _guess(linear: Floats, matter: Matter) -> Guessed:
    told = guess_matter(Picture(linear, Space.LINEAR, wraps=True))
    return Guessed(matter, told.matter, told.sure)


def table(told: Sequence[Guessed]) -> Iterator[str]:
    """Return the lines that sum a trial up: how often it is right, by how sure it says it is."""
    for least, most in itertools.pairwise(_STEPS):
        own = [one for one in told if least <= one.sure < most]
        if own:
            right, sure = (np.mean([getattr(o, what) for o in own]) for what in ("right", "sure"))
            yield f"{len(own):4} as sure as {100 * sure:3.0f} %: {100 * right:3.0f} % right"
    said = [one for one in told if one.sure >= _SAID]
    yield f"Said of {len(said)} of {len(told)}, right of {sum(one.right for one in said)}"
