"""What steps along columns do that their neighbours do not lead one to expect: compiled."""

from __future__ import annotations

import math

import numpy as np
from numba import njit

from stonestack.core.picture.image import Floats


@njit(nogil=True, cache=True)
def step_spread(
    values: Floats, edges: Floats, usual: Floats, spread: Floats, first: int, last: int
) -> None:
    """Measure, for each block of rows and each column, how unlike its surprises are.

    The surprise of a step from a column to the next is the step less the mean of the steps before
    and after it; the columns are a ring.

    Parameters
    ----------
    values : ndarray, float32, shape (rows, columns, channels)
    edges : ndarray, float32, shape (blocks + 1,)
        First row of each block, and the end.
    usual : ndarray, float32, shape (blocks, columns, channels)
        The mean surprise.
    spread : ndarray, float32, shape (blocks, columns)
        Filled with the distance of the surprises from that mean, over the channels: the square of
        the mean of roots, so that what is strong in a few places counts little.
    first, last : int
        The blocks to fill.
    """
    columns, channels = values.shape[1:]
    half, more = np.float32(0.5), np.float32(1.5)
    for block in range(first, last):
        top, bottom = int(edges[block]), int(edges[block + 1])
        total = np.zeros(columns, np.float32)
        for y in range(top, bottom):
            for x in range(columns):
                before = x - 1 if x > 0 else columns - 1
                after = x + 1 if x + 1 < columns else 0
                beyond = after + 1 if after + 1 < columns else 0
                away = np.float32(0)
                for c in range(channels):
                    away += abs(
                        more * (values[y, after, c] - values[y, x, c])
                        + half * (values[y, before, c] - values[y, beyond, c])
                        - usual[block, x, c]
                    )
                total[x] += np.float32(math.sqrt(away))
        for x in range(columns):
            spread[block, x] = (total[x] / max(1, bottom - top)) ** 2 / channels
