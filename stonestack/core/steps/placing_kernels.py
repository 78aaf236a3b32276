"""Lay a placed picture over another, texel by texel: compiled."""

from __future__ import annotations

import math

from numba import njit

from stonestack.core.picture.image import Floats


@njit(nogil=True, cache=True)
def _edge(share: float, length: float) -> float:
    """Return how far a texel lies within a side: a hard edge covers it by its share."""
    return min(max(min(share, 1 - share) * length + 0.5, 0.0), 1.0)


@njit(nogil=True, cache=True)
def lay(
    out: Floats,
    values: Floats,
    corner: tuple[float, float],
    size: tuple[float, float],
    turned: tuple[float, float],
    whole: bool,
) -> None:
    """Lay premultiplied values over what is there, linear between them; their rim goes on.

    Parameters
    ----------
    out : ndarray, float32, shape (height, width, channels)
        Part of the map; alpha is last.
    values : ndarray, float32, shape (rows, columns, channels)
    corner : tuple of float
        Where the middle of ``out``'s first texel lies from the picture's middle, in texels.
    size : tuple of float
        How far the picture reaches across and down, in texels.
    turned : tuple of float
        Cosine and sine of its turn.
    whole : bool
        Take the nearest value as it is, and all of a texel or nothing.
    """
    height, width, channels = out.shape
    rows, columns = values.shape[:2]
    (across, down), (cos, sin) = size, turned
    for row in range(height):
        y = corner[1] + row
        for column in range(width):
            x = corner[0] + column
            u, v = (x * cos + y * sin) / across + 0.5, (y * cos - x * sin) / down + 0.5
            cover = _edge(u, across) * _edge(v, down)
            if whole:
                cover = 1.0 if cover >= 0.5 else 0.0
            if cover == 0:
                continue
            u, v = u * columns - 0.5, v * rows - 0.5
            left, top = math.floor(u), math.floor(v)
            fx, fy = u - left, v - top
            if whole:
                fx, fy = math.floor(fx + 0.5), math.floor(fy + 0.5)
            right, bottom = min(max(left + 1, 0), columns - 1), min(max(top + 1, 0), rows - 1)
            left, top = min(max(left, 0), columns - 1), min(max(top, 0), rows - 1)
            shares = (
                (1 - fx) * (1 - fy) * cover,
                fx * (1 - fy) * cover,
                (1 - fx) * fy * cover,
                fx * fy * cover,
            )
            opacity = 0.0
            for k in range(channels - 1, -1, -1):
                value = (
                    values[top, left, k] * shares[0]
                    + values[top, right, k] * shares[1]
                    + values[bottom, left, k] * shares[2]
                    + values[bottom, right, k] * shares[3]
                )
                if k == channels - 1:
                    opacity = value
                out[row, column, k] = out[row, column, k] * (1 - opacity) + value
