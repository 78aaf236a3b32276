"""Which way the green channel of normal maps points: the one home of turning it."""

from __future__ import annotations

from enum import StrEnum

import numpy as np
from numpy.typing import NDArray

from stonestack.core.picture.image import Floats, Picture, Space

_UNIT_WITHIN = 0.1
"""How far from one a length may be after rounding and a photograph's compression."""
_LEAST_Z = np.float32(0.1)
_FLAT = 1e-7
_SURE_FROM = 3.0
"""A curl that is half of the other tells surely."""


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


def are_unit(stored: NDArray[np.generic], top: float) -> NDArray[np.bool_]:
    """Tell of each stored texel whether it is a unit vector.

    Parameters
    ----------
    stored : ndarray, shape (height, width, 3)
        Texels that have not been averaged.
    top : float
        What stands for 1.
    """
    vectors = stored.astype(np.float32) * np.float32(2 / top) - np.float32(1)
    return np.asarray(np.abs(np.linalg.norm(vectors, axis=2) - 1) < _UNIT_WITHIN)


def green_of(vectors: Floats) -> tuple[Green, float]:
    """Tell which way green points, from the slopes: those of a surface have no curl.

    With green the right way round the vectors are slopes of one height, whose mixed derivatives
    are equal (R. Frankot and R. Chellappa, "A Method for Enforcing Integrability in Shape from
    Shading Algorithms", IEEE TPAMI 10 (1988), equation 2); the other way they are not.

    Parameters
    ----------
    vectors : ndarray, float32, shape (height, width, 3)
        -1..1, as stored, at any size.

    Returns
    -------
    (Green, float)
        The likelier direction, and how sure that is, 0.5 to 1.
    """
    z = np.maximum(vectors[..., 2], _LEAST_Z)
    across, down = -vectors[..., 0] / z, vectors[..., 1] / z
    # Both between the same four pixels, so that a true slope's curl is none but for rounding.
    twist = np.diff(across[:, :-1] + across[:, 1:], axis=0)
    other = np.diff(down[:-1] + down[1:], axis=1)
    up, turned_ = float(np.square(twist - other).mean()), float(np.square(twist + other).mean())
    if up + turned_ < _FLAT:
        return Green.UP, 0.5
    likelier = Green.UP if up <= turned_ else Green.DOWN
    apart = abs(up - turned_) / (up + turned_)
    return likelier, round(0.5 + 0.49 * min(1.0, _SURE_FROM * apart), 2)
