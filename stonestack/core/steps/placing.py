"""Place a picture on a map: scaled, turned, mirrored, and carried on over a tile's edges.

Source of the filter: area average at the picture's own resolution, then linear between samples, as
in P. Heckbert, "Fundamentals of Texture Mapping and Image Warping", UC Berkeley 1989, section 3.5.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

import numpy as np

from stonestack.core.image import Floats, Picture, premultiplied, straightened
from stonestack.core.resize import resize


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
        edge comes in at the other.
    picture : Picture
        Of the map's meaning; straight alpha is kept.
    """
    width, height = like.width, like.height
    small = resize(
        picture,
        max(1, min(picture.width, round(place.across))),
        max(1, min(picture.height, round(place.down))),
        "box",
    )
    values = premultiplied(_opaque(small))
    values = values[:: -1 if place.mirrored[1] else 1, :: -1 if place.mirrored[0] else 1]
    turn = math.radians(place.turn)
    cos, sin = math.cos(turn), math.sin(turn)
    out = np.zeros((height, width, values.shape[2]), np.float32)
    reach = math.hypot(place.across, place.down) / 2 + 2
    for shift_x in _shifts(place.x, reach, width, like.wraps):
        for shift_y in _shifts(place.y, reach, height, like.wraps):
            _laid(out, values, (shift_x, shift_y), (place.across, place.down), (cos, sin))
    clear = replace(like, pixels=np.zeros((1, 1, values.shape[2]), np.float32), alpha=True)
    return straightened(out, clear)


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
) -> None:
    """Lay premultiplied values over what is there, once."""
    (mx, my), (across, down), (cos, sin) = middle, size, turned
    reach_x = (abs(across * cos) + abs(down * sin)) / 2 + 1
    reach_y = (abs(across * sin) + abs(down * cos)) / 2 + 1
    left, right = max(0, math.floor(mx - reach_x)), min(out.shape[1], math.ceil(mx + reach_x))
    top, bottom = max(0, math.floor(my - reach_y)), min(out.shape[0], math.ceil(my + reach_y))
    if left >= right or top >= bottom:
        return
    x = np.arange(left, right, dtype=np.float32) + np.float32(0.5 - mx)
    y = (np.arange(top, bottom, dtype=np.float32) + np.float32(0.5 - my))[:, np.newaxis]
    u = (x * cos + y * sin) / across + 0.5
    v = (-x * sin + y * cos) / down + 0.5
    sampled = _sampled(values, u * values.shape[1] - 0.5, v * values.shape[0] - 0.5)
    # A hard edge that crosses a texel covers it by its share.
    cover = np.clip(np.minimum(u, 1 - u) * across + 0.5, 0, 1)
    cover *= np.clip(np.minimum(v, 1 - v) * down + 0.5, 0, 1)
    sampled *= cover[..., np.newaxis].astype(np.float32)
    part = out[top:bottom, left:right]
    part *= 1 - sampled[..., -1:]
    part += sampled


def _sampled(values: Floats, x: Floats, y: Floats) -> Floats:
    """Return values between samples, linear both ways; beyond the rim it goes on."""
    height, width = values.shape[:2]
    x0, y0 = np.floor(x).astype(np.int64), np.floor(y).astype(np.int64)
    fx, fy = (x - x0).astype(np.float32)[..., None], (y - y0).astype(np.float32)[..., None]
    left, right = np.clip(x0, 0, width - 1), np.clip(x0 + 1, 0, width - 1)
    top, bottom = np.clip(y0, 0, height - 1), np.clip(y0 + 1, 0, height - 1)
    above = values[top, left] * (1 - fx) + values[top, right] * fx
    below = values[bottom, left] * (1 - fx) + values[bottom, right] * fx
    return np.asarray(above * (1 - fy) + below * fy, np.float32)
