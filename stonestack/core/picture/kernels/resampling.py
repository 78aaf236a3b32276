"""Weighted sums along one axis: compiled."""

from __future__ import annotations

import numpy as np
from numba import njit
from numpy.typing import NDArray

from stonestack.core.picture.image import Floats


@njit(nogil=True, cache=True)
def along_rows(
    source: Floats,
    index: NDArray[np.int64],
    weight: Floats,
    out: Floats,
    start: int,
    stop: int,
) -> None:
    """Sum whole rows: ``out[y] = sum over k of weight[y, k] * source[index[y, k]]``.

    Parameters
    ----------
    source : ndarray, float32, shape (rows, values)
    index, weight : ndarray, shape (out rows, taps)
    out : ndarray, float32, shape (out rows, values)
        Rows ``start`` to ``stop`` are written.
    """
    values = source.shape[1]
    for y in range(start, stop):
        for x in range(values):
            out[y, x] = np.float32(0)
        for k in range(index.shape[1]):
            w = weight[y, k]
            if w != 0:
                row = index[y, k]
                for x in range(values):
                    out[y, x] += w * source[row, x]


@njit(nogil=True, cache=True)
def along_columns(
    source: Floats,
    index: NDArray[np.int64],
    weight: Floats,
    out: Floats,
    start: int,
    stop: int,
) -> None:
    """Sum within rows: ``out[y, x] = sum over k of weight[x, k] * source[y, index[x, k]]``.

    Parameters
    ----------
    source : ndarray, float32, shape (rows, columns, channels)
    index, weight : ndarray, shape (out columns, taps)
    out : ndarray, float32, shape (rows, out columns, channels)
        Rows ``start`` to ``stop`` are written.
    """
    channels = source.shape[2]
    taps = index.shape[1]
    for y in range(start, stop):
        for x in range(index.shape[0]):
            for c in range(channels):
                total = np.float32(0)
                for k in range(taps):
                    total += weight[x, k] * source[y, index[x, k], c]
                out[y, x, c] = total
