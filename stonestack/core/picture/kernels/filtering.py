"""Sums over squares, and what edges are kept by: compiled.

Running sums are kept in double precision; what is worked on is cut across the way that they run, so
that the result does not depend on the number of cores.
"""

from __future__ import annotations

import numpy as np
from numba import njit
from numpy.typing import NDArray

from stonestack.core.picture.image import Floats

Places = NDArray[np.int32]


@njit(nogil=True, cache=True)
def means_down(values: Floats, places: Places, radius: int, out: Floats) -> None:
    """Fill ``out`` with means of so many rows above and below each, and of its own.

    Parameters
    ----------
    values, out : ndarray, float32, shape (height, numbers)
    places : ndarray, int32, shape (height + 2 * radius,)
        Which row stands at each place, the first so many above the first row.
    """
    height, numbers = values.shape
    sums = np.zeros(numbers)
    share = 1 / (2 * radius + 1)
    for n in range(2 * radius):
        row = values[places[n]]
        for k in range(numbers):
            sums[k] += row[k]
    for y in range(height):
        ahead, behind, line = values[places[y + 2 * radius]], values[places[y]], out[y]
        for k in range(numbers):
            total = sums[k] + ahead[k]
            line[k] = total * share
            sums[k] = total - behind[k]


@njit(nogil=True, cache=True)
def means_along(values: Floats, places: Places, radius: int, out: Floats) -> None:
    """Fill ``out`` with means of so many texels left and right of each, and of its own.

    Parameters
    ----------
    values, out : ndarray, float32, shape (height, width, channels)
    places : ndarray, int32, shape (width + 2 * radius,)
    """
    height, width, channels = values.shape
    share, count = 1 / (2 * radius + 1), len(places) * channels
    spread, reached = np.empty(count, np.float32), np.zeros(count + channels)
    onward, ahead = reached[channels:], reached[(2 * radius + 1) * channels :]
    for y in range(height):
        row, line = values[y], out[y].reshape(width * channels)
        for n in range(radius):
            for k in range(channels):
                spread[n * channels + k] = row[places[n], k]
                spread[count - (n + 1) * channels + k] = row[places[len(places) - 1 - n], k]
        for x in range(width):
            for k in range(channels):
                spread[(radius + x) * channels + k] = row[x, k]
        for i in range(count):
            onward[i] = reached[i] + spread[i]
        for i in range(width * channels):
            line[i] = (ahead[i] - reached[i]) * share


@njit(nogil=True, cache=True, fastmath=True, error_model="numpy")
def _mean(texel: Floats) -> np.float32:
    total = np.float32(0)
    for k in range(len(texel)):
        total += texel[k]
    return total / np.float32(len(texel))


@njit(nogil=True, cache=True, fastmath=True, error_model="numpy")
def with_products(values: Floats, out: Floats) -> None:
    """Fill ``out`` with each texel's channels, and with these times their mean.

    Parameters
    ----------
    values : ndarray, float32, shape (count, channels)
    out : ndarray, float32, shape (count, 2 * channels)
    """
    count, channels = values.shape
    for i in range(count):
        guide = _mean(values[i])
        for k in range(channels):
            out[i, k], out[i, channels + k] = values[i, k], values[i, k] * guide


@njit(nogil=True, cache=True, fastmath=True, error_model="numpy")
def as_lines(means: Floats, least: float) -> None:
    """Turn means of :func:`with_products` into the lines that fit best: offsets, then slopes.

    Parameters
    ----------
    means : ndarray, float32, shape (count, 2 * channels)
        Is changed.
    least : float
        Variance well under which all is noise.
    """
    count, channels = means.shape[0], means.shape[1] // 2
    for i in range(count):
        guide, square = np.float32(0), np.float32(0)
        for k in range(channels):
            guide += means[i, k]
            square += means[i, channels + k]
        # The guide is the channels' mean: so are its own mean and that of its square.
        guide, square = guide / np.float32(channels), square / np.float32(channels)
        spread = max(square - guide * guide, np.float32(0)) + np.float32(least)
        for k in range(channels):
            slope = (means[i, channels + k] - guide * means[i, k]) / spread
            means[i, channels + k] = slope
            means[i, k] -= slope * guide


@njit(nogil=True, cache=True, fastmath=True, error_model="numpy")
def on_lines(values: Floats, lines: Floats, out: Floats) -> None:
    """Fill ``out`` with where the mean of each texel's channels lies on its lines.

    Parameters
    ----------
    values, out : ndarray, float32, shape (count, channels)
    lines : ndarray, float32, shape (count, 2 * channels)
        Offsets, then slopes.
    """
    count, channels = values.shape
    for i in range(count):
        guide = _mean(values[i])
        for k in range(channels):
            out[i, k] = lines[i, k] + lines[i, channels + k] * guide
