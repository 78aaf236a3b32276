"""The mean of a ring as it is some steps away: compiled."""

from __future__ import annotations

import numpy as np
from numba import njit
from numpy.typing import NDArray

from stonestack.core.picture.image import Floats


@njit(nogil=True, cache=True)
def mean_of_moved(
    rows: Floats,
    channels: int,
    whole: NDArray[np.int64],
    part: Floats,
    out: Floats,
    start: int,
    stop: int,
) -> None:
    """Fill rows with the mean of a ring some steps away, between pixels by straight lines.

    Parameters
    ----------
    rows : ndarray, float32, shape (height, width * channels)
        A ring.
    channels : int
    whole : ndarray, int64, shape (steps, 2)
        Whole pixels of each step in x and y, rounded down.
    part : ndarray, float32, shape (steps, 2)
        What is left of each, 0..1.
    out : ndarray, float32, like ``rows``
        Rows ``start`` to ``stop`` are written.
    start, stop : int
    """
    height, count = rows.shape
    width = count // channels
    share, one = np.float32(1 / len(whole)), np.float32(1)
    total = np.empty(count, np.float32)
    for y in range(start, stop):
        for i in range(count):
            total[i] = 0
        for step in range(len(whole)):
            for down in range(2):
                row = rows[(y + whole[step, 1] + down) % height]
                high = part[step, 1] if down else one - part[step, 1]
                for across in range(2):
                    weight = share * high * (part[step, 0] if across else one - part[step, 0])
                    if weight == 0:
                        continue
                    first = (whole[step, 0] + across) % width * channels
                    # As slices: places in them are never below 0, so many are taken at once.
                    left, right = total[: count - first], total[count - first :]
                    after, before = row[first:], row[:first]
                    for i in range(len(left)):
                        left[i] += weight * after[i]
                    for i in range(len(right)):
                        right[i] += weight * before[i]
        for i in range(count):
            out[y, i] = total[i]
