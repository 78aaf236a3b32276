"""Gradient noise on a ring both ways: compiled."""

from __future__ import annotations

import numpy as np
from numba import njit
from numpy.typing import NDArray

from stonestack.core.picture.image import Floats


@njit(nogil=True, cache=True)
def _mixed(x: int, y: int, seed: int) -> float:
    """Return an angle for a corner of the lattice: integers well mixed, then a turn of 0..2 pi."""
    h = np.uint32(x) * np.uint32(0x9E3779B1) ^ np.uint32(y) * np.uint32(0x85EBCA77)
    h = (h ^ np.uint32(seed) * np.uint32(0xC2B2AE3D)) & np.uint32(0xFFFFFFFF)
    h = np.uint32(h ^ (h >> np.uint32(15))) * np.uint32(0x2C1B3C6D)
    h = np.uint32(h ^ (h >> np.uint32(12))) * np.uint32(0x297A2D39)
    h = np.uint32(h ^ (h >> np.uint32(15)))
    return float(h) * (2 * np.pi / 4294967296.0)


@njit(nogil=True, cache=True)
def corners(cells_x: int, cells_y: int, seed: int) -> NDArray[np.float32]:
    """Return the gradients at the corners of a lattice, shape (cells_y, cells_x, 2)."""
    out = np.empty((cells_y, cells_x, 2), np.float32)
    for y in range(cells_y):
        for x in range(cells_x):
            angle = _mixed(x, y, seed)
            out[y, x, 0], out[y, x, 1] = np.cos(angle), np.sin(angle)
    return out


@njit(nogil=True, cache=True)
def _faded(t: float) -> float:
    return t * t * t * (t * (t * 6 - 15) + 10)


@njit(nogil=True, cache=True)
def add_noise(out: Floats, gradients: Floats, weight: float, start: int, stop: int) -> None:
    """Add gradient noise, about -0.7..0.7 times the weight, to rows of an array.

    Parameters
    ----------
    out : ndarray, float32, shape (height, width)
    gradients : ndarray, float32, shape (cells_y, cells_x, 2)
        At the lattice's corners; the last cell's next corner is the first.
    """
    height, width = out.shape
    one, by = np.float32(1), np.float32(weight)
    cells_y, cells_x = gradients.shape[:2]
    left, right = np.empty(width, np.uint32), np.empty(width, np.uint32)
    along, faded = np.empty(width, np.float32), np.empty(width, np.float32)
    for column in range(width):
        u = (column + 0.5) * cells_x / width
        left[column], right[column] = int(u) % cells_x, (int(u) + 1) % cells_x
        along[column] = u - int(u)
        faded[column] = _faded(u - int(u))
    for row in range(start, stop):
        v = (row + 0.5) * cells_y / height
        y0, fy = int(v) % cells_y, np.float32(v - int(v))
        y1, sy = (y0 + 1) % cells_y, np.float32(_faded(v - int(v)))
        across = gradients[y0, :, 0], gradients[y1, :, 0]
        down = gradients[y0, :, 1] * fy, gradients[y1, :, 1] * (fy - np.float32(1))
        line = out[row]
        for column in range(width):
            x0, x1, fx, sx = left[column], right[column], along[column], faded[column]
            a, b = across[0][x0] * fx + down[0][x0], across[0][x1] * (fx - one) + down[0][x1]
            c, d = across[1][x0] * fx + down[1][x0], across[1][x1] * (fx - one) + down[1][x1]
            top, bottom = a + (b - a) * sx, c + (d - c) * sx
            line[column] += by * (top + (bottom - top) * sy)
