"""Place a picture on a map: scaled, turned, mirrored, and carried on over a tile's edges.

Source of the filter: area average at the picture's own resolution, then linear between samples, as
in P. Heckbert, "Fundamentals of Texture Mapping and Image Warping", UC Berkeley 1989, section 3.5.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

import numpy as np

from stonestack.core.picture.image import Floats, Picture, premultiplied, straightened
from stonestack.core.picture.resize import resize
from stonestack.core.runtime.parallel import over_bands, rows_worth


@dataclass(frozen=True)
class Place:
    """Where a picture lies: its middle and its sides in texels of the map, its turn in degrees.

    Parameters
    ----------
    x, y : float
        Its middle.
    across, down : float
        Its sides.
    turn : float
        Clockwise.
    mirrored : tuple of bool
        Left to right, and top to bottom.
    """

    x: float
    y: float
    across: float
    down: float
    turn: float = 0.0
    mirrored: tuple[bool, bool] = (False, False)


def placed(like: Picture, picture: Picture, place: Place) -> Picture:
    """Return a picture where it is placed on a map, and clear elsewhere.

    Parameters
    ----------
    like : Picture
        The map. Its size and whether it wraps are followed; where it wraps, what reaches over one
        edge comes in at the other. Where its texels are whole, so are those that come over it.
    picture : Picture
        Of the map's meaning; straight alpha is kept.
    """
    out = _over(like, premultiplied(_opaque(_reduced(picture, place))), place)
    clear = replace(like, pixels=np.zeros((1, 1, out.shape[2]), np.float32), alpha=True)
    return straightened(out, clear)


def covered(like: Picture, shape: Picture, place: Place) -> Floats:
    """Return how far a shape covers a map where it is placed, shape (height, width, 1).

    Parameters
    ----------
    like : Picture
        As in :func:`placed`.
    shape : Picture
        Data of one channel: how far it covers each of its own texels.
    """
    return _over(like, _reduced(shape, place).pixels, place)


def _reduced(picture: Picture, place: Place) -> Picture:
    """Return a picture with no more texels than it takes on the map."""
    width, height = (max(1, round(side)) for side in (place.across, place.down))
    return resize(picture, min(picture.width, width), min(picture.height, height), "box")


def _over(like: Picture, values: Floats, place: Place) -> Floats:
    """Lay premultiplied values on a clear map where they are placed, with their repeats."""
    width, height = like.width, like.height
    values = values[:: -1 if place.mirrored[1] else 1, :: -1 if place.mirrored[0] else 1]
    values = np.ascontiguousarray(values)
    turn = math.radians(place.turn)
    cos, sin = math.cos(turn), math.sin(turn)
    out = np.zeros((height, width, values.shape[2]), np.float32)
    reach = math.hypot(place.across, place.down) / 2 + 2
    for shift_x in _shifts(place.x, reach, width, like.wraps):
        for shift_y in _shifts(place.y, reach, height, like.wraps):
            middle, size = (shift_x, shift_y), (place.across, place.down)
            _laid(out, values, middle, size, (cos, sin), like.whole)
    return out


def _opaque(picture: Picture) -> Picture:
    if picture.alpha:
        return picture
    solid = np.ones((picture.height, picture.width, 1), np.float32)
    return replace(picture, pixels=np.concatenate([picture.pixels, solid], axis=2), alpha=True)


def _shifts(middle: float, reach: float, side: int, wraps: bool) -> list[float]:
    """Return where the picture's middle lies, with its repeats that reach into the map."""
    if not wraps:
        return [middle]
    first = math.ceil((-reach - middle) / side)
    last = math.floor((side + reach - middle) / side)
    return [middle + n * side for n in range(first, last + 1)]


def _laid(
    out: Floats,
    values: Floats,
    middle: tuple[float, float],
    size: tuple[float, float],
    turned: tuple[float, float],
    whole: bool,
) -> None:
    """Lay premultiplied values over what is there, once."""
    from stonestack.core.steps.placing_kernels import lay

    (mx, my), (across, down), (cos, sin) = middle, size, turned
    reach_x = (abs(across * cos) + abs(down * sin)) / 2 + 1
    reach_y = (abs(across * sin) + abs(down * cos)) / 2 + 1
    left, right = max(0, math.floor(mx - reach_x)), min(out.shape[1], math.ceil(mx + reach_x))
    top, bottom = max(0, math.floor(my - reach_y)), min(out.shape[0], math.ceil(my + reach_y))
    if left >= right or top >= bottom:
        return
    part, (x, y) = out[top:bottom, left:right], (left + 0.5 - mx, top + 0.5 - my)

    def rows(a: int, b: int) -> None:
        lay(part[a:b], values, (x, y + a), size, turned, whole)

    over_bands(rows, bottom - top, rows_worth(right - left))
