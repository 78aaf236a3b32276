"""Blending of pieces on a ring of triangles: compiled."""

from __future__ import annotations

import numpy as np
from numba import njit
from numpy.typing import NDArray

from stonestack.core.picture.image import Floats


@njit(nogil=True, cache=True)
def blend(
    source: Floats,
    starts: NDArray[np.float32],
    cells: NDArray[np.float32],
    rings: NDArray[np.bool_],
    sharp: float,
    out: Floats,
    start: int,
    stop: int,
) -> None:
    """Blend three pieces of a Gaussian field at each pixel, and keep its variance.

    Parameters
    ----------
    source : ndarray, float32, shape (height, width, channels)
        Each channel of mean 0 and variance 1.
    starts : ndarray, float32, shape (corner rows, corner columns, 2)
        For each corner of the grid, row and column of the source that is laid on it.
    cells : ndarray, float32, shape (2,)
        Height and width of a cell, in pixels.
    rings : ndarray, bool, shape (2,)
        Whether the rows, and the columns, of corners are rings.
    sharp : float
        Power of the weights; more makes the pieces' edges narrower.
    out : ndarray, float32, shape (rows, columns, channels)
        Rows ``start`` to ``stop`` are written.
    """
    height, width, channels = source.shape
    corner_rows, corner_columns = starts.shape[:2]
    weight = np.empty(3, np.float32)
    row, column = np.empty(3, np.int64), np.empty(3, np.int64)
    for y in range(start, stop):
        v = y / cells[0]
        i = int(v)
        fy = np.float32(v - i)
        for x in range(out.shape[1]):
            u = x / cells[1]
            j = int(u)
            fx = np.float32(u - j)
            # A cell is two triangles; which one decides the three corners.
            if fx + fy < 1:
                row[0], column[0], weight[0] = i, j, 1 - fx - fy
                row[1], column[1], weight[1] = i, j + 1, fx
                row[2], column[2], weight[2] = i + 1, j, fy
            else:
                row[0], column[0], weight[0] = i + 1, j + 1, fx + fy - 1
                row[1], column[1], weight[1] = i, j + 1, 1 - fy
                row[2], column[2], weight[2] = i + 1, j, 1 - fx
            total = np.float32(0)
            for k in range(3):
                weight[k] = weight[k] ** np.float32(sharp)
                total += weight[k]
            power = np.float32(0)
            for k in range(3):
                weight[k] /= total
                power += weight[k] * weight[k]
            scale = 1 / np.sqrt(power)
            for c in range(channels):
                out[y, x, c] = 0
            for k in range(3):
                r, q = row[k], column[k]
                down = y - np.float32(r) * cells[0]
                across = x - np.float32(q) * cells[1]
                if rings[0] and r >= corner_rows:
                    r -= corner_rows
                if rings[1] and q >= corner_columns:
                    q -= corner_columns
                sy = int(starts[r, q, 0] + down + np.float32(0.5))
                sx = int(starts[r, q, 1] + across + np.float32(0.5))
                sy = min(max(sy, 0), height - 1)
                sx = min(max(sx, 0), width - 1)
                w = weight[k] * scale
                for c in range(channels):
                    out[y, x, c] += w * source[sy, sx, c]
