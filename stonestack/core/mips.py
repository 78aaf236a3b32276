"""Mipmaps: each level is the area average of the one above, by the rules of its kind."""

from __future__ import annotations

from stonestack.core.image import Picture
from stonestack.core.resize import resize


def level_count(width: int, height: int) -> int:
    """Return how many levels there are down to a single texel."""
    return max(width, height).bit_length()


def level_size(width: int, height: int, level: int) -> tuple[int, int]:
    """Return the size of a level: halved and rounded down, never below one."""
    return max(1, width >> level), max(1, height >> level)


def chain(picture: Picture) -> list[Picture]:
    """Return the picture and all its smaller levels.

    Colour is averaged in linear light and weighted by alpha, so that what is cut out
    does not bleed into rims; vectors are averaged and brought back to unit length; data
    is averaged.

    Returns
    -------
    list of Picture
        Level 0 first, down to one texel.
    """
    levels = [picture]
    for level in range(1, level_count(picture.width, picture.height)):
        width, height = level_size(picture.width, picture.height, level)
        levels.append(resize(levels[-1], width, height, "box"))
    return levels
