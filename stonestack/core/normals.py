"""Which way the green channel of normal maps points: the one home of turning it."""

from __future__ import annotations

from enum import StrEnum

import numpy as np

from stonestack.core.image import Picture, Space


class Green(StrEnum):
    """Which way the green channel of a stored normal map points."""

    UP = "up"
    DOWN = "down"


def turned(picture: Picture, green: Green) -> Picture:
    """Turn the y of vectors round where green points down; other pictures stay.

    Parameters
    ----------
    picture : Picture
        Vectors have three channels, and a fourth where something is packed beside them.
    """
    if picture.space is not Space.VECTOR or green is Green.UP:
        return picture
    signs = np.ones(picture.pixels.shape[2], np.float32)
    signs[1] = -1
    return picture.with_pixels(picture.pixels * signs)
