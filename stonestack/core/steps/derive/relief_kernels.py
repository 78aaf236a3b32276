"""Slopes and horizons, texel by texel: compiled."""

from __future__ import annotations

import numpy as np
from numba import njit
from numpy.typing import NDArray

from stonestack.core.picture.image import Floats

Offsets = NDArray[np.int64]


@njit(nogil=True, cache=True, error_model="numpy")
def slope_along(around: Floats, weights: Floats, out: Floats) -> None:
    """Fill ``out`` with the slope along each row.

    Parameters
    ----------
    around : ndarray, float32, shape (rows, width + 2 * len(weights))
    weights : ndarray, float32
        Of what lies one, two, ... texels ahead; what lies behind is taken off by the same.
    out : ndarray, float32, shape (rows, width)
    """
    rows, width = out.shape
    reach = len(weights)
    for y in range(rows):
        line, row = out[y], around[y]
        line[:] = np.float32(0)
        for k in range(reach):
            weight = weights[k]
            ahead = row[reach + k + 1 : reach + k + 1 + width]
            behind = row[reach - k - 1 : reach - k - 1 + width]
            for x in range(width):
                line[x] += weight * (ahead[x] - behind[x])


@njit(nogil=True, cache=True, error_model="numpy")
def slope_down(around: Floats, weights: Floats, out: Floats) -> None:
    """Fill ``out`` with the slope down the columns; shapes as in :func:`slope_along`, turned."""
    rows, width = out.shape
    reach = len(weights)
    for y in range(rows):
        line = out[y]
        line[:] = np.float32(0)
        for k in range(reach):
            weight = weights[k]
            ahead, behind = around[reach + y + k + 1], around[reach + y - k - 1]
            for x in range(width):
                line[x] += weight * (ahead[x] - behind[x])


@njit(nogil=True, cache=True, error_model="numpy", inline="always")
def _angle(slope: np.float32) -> np.float32:
    """Return the arc tangent; M. Abramowitz and I. Stegun, 1964, 4.4.49, within 1e-5."""
    size = abs(slope)
    turned = size > np.float32(1)
    t = np.float32(1) / size if turned else size
    q = t * t
    series = np.float32(0.0208351)
    series = series * q - np.float32(0.0851330)
    series = series * q + np.float32(0.1801410)
    series = series * q - np.float32(0.3302995)
    series = series * q + np.float32(0.9998660)
    angle = series * t
    angle = np.float32(1.5707963) - angle if turned else angle
    return angle if slope >= 0 else -angle


@njit(nogil=True, cache=True, error_model="numpy")
def _raise(
    around: Floats,
    y: int,
    left: int,
    offsets: Offsets,
    shares: Floats,
    own: Floats,
    p: Floats,
    q: Floats,
    best: Floats,
) -> None:
    """Fill ``best`` with how steeply what stands at offsets rises over each texel's own plane."""
    width = len(own)
    best[:] = np.float32(0)
    for k in range(len(shares)):
        right, down = offsets[k, 0], offsets[k, 1]
        there = around[y + down, left + right : left + right + width]
        share = shares[k]
        x_, y_ = np.float32(right), np.float32(-down)
        for x in range(width):
            rise = (there[x] - own[x] - p[x] * x_ - q[x] * y_) * share
            best[x] = max(best[x], rise)


@njit(nogil=True, cache=True, error_model="numpy")
def seen_of_sky(
    around: Floats,
    rim: int,
    start: int,
    offsets: NDArray[np.int64],
    shares: Floats,
    ways: Floats,
    right: Floats,
    up: Floats,
    out: Floats,
) -> None:
    """Fill ``out`` with the part of its own sky that each texel sees.

    Parameters
    ----------
    around : ndarray, float32
        Heights in texels, with ``rim`` more on every side.
    start : int
        The first row, without the rim, that ``out`` holds.
    offsets : ndarray, int64, shape (ways, 2, steps, 2)
        Places to look at, along each way and against it, in texels right and down.
    shares : ndarray, float32, shape (ways, steps)
        One over their distance, less where they hardly count.
    ways : ndarray, float32, shape (ways, 2)
        Unit vectors, to the right and up.
    right, up, out : ndarray, float32, shape (rows, width)
        Slopes of the texels, and what is filled.
    """
    rows, width = out.shape
    ahead, behind = np.empty(width, np.float32), np.empty(width, np.float32)
    half, one = np.float32(1.5707963), np.float32(1)
    for y in range(rows):
        line = out[y]
        line[:] = np.float32(0)
        own = around[rim + start + y, rim : rim + width]
        p, q = right[y], up[y]
        for n in range(len(ways)):
            row = rim + start + y
            _raise(around, row, rim, offsets[n, 0], shares[n], own, p, q, ahead)
            _raise(around, row, rim, offsets[n, 1], shares[n], own, p, q, behind)
            wx, wy = ways[n, 0], ways[n, 1]
            for x in range(width):
                rise = p[x] * wx + q[x] * wy
                length = np.sqrt(one + rise * rise)
                cos, sin = one / length, -rise / length
                s, t = rise + ahead[x], behind[x] - rise
                s2, t2 = s * s, t * t
                first = ((one - s2) * cos - np.float32(2) * s * sin) / (one + s2)
                second = ((one - t2) * cos + np.float32(2) * t * sin) / (one + t2)
                open_ahead, open_behind = half - _angle(s), _angle(t) - half
                arc = first + second + np.float32(2) * cos
                arc += np.float32(2) * (open_ahead + open_behind) * sin
                whole = length / np.sqrt(one + p[x] * p[x] + q[x] * q[x])
                line[x] += whole * arc * np.float32(0.25)
        for x in range(width):
            line[x] = min(one, max(np.float32(0), line[x] / np.float32(len(ways))))
