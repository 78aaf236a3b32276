"""The path of least error through an overlap: compiled."""

from __future__ import annotations

import numpy as np
from numba import njit
from numpy.typing import NDArray

from stonestack.core.picture.image import Floats

_FAR = np.float32(1e30)


@njit(nogil=True, cache=True)
def _walk(cost: Floats, start: int, total: Floats, came: NDArray[np.int8]) -> None:
    """Fill ``total`` and ``came`` from the first row on; ``start`` < 0 leaves it free."""
    rows, columns = cost.shape
    for x in range(columns):
        total[0, x] = cost[0, x] if (start < 0 or start == x) else _FAR
    for y in range(1, rows):
        for x in range(columns):
            best = total[y - 1, x]
            step = 0
            if x > 0 and total[y - 1, x - 1] < best:
                best = total[y - 1, x - 1]
                step = -1
            if x < columns - 1 and total[y - 1, x + 1] < best:
                best = total[y - 1, x + 1]
                step = 1
            total[y, x] = best + cost[y, x]
            came[y, x] = step


@njit(nogil=True, cache=True)
def least_path(cost: Floats, closed: bool) -> NDArray[np.int64]:
    """Return the connected path from the first row to the last with the least total cost.

    Parameters
    ----------
    cost : ndarray, float32, shape (rows, columns)
        Not negative.
    closed : bool
        Whether the path has to end within one column of where it starts, so that it goes
        on over the edge. All starts near the free path's cheapest ends are tried and the
        best kept.

    Returns
    -------
    ndarray, int64, shape (rows,)
        Column of the path in each row.
    """
    rows, columns = cost.shape
    total = np.empty((rows, columns), np.float32)
    came = np.zeros((rows, columns), np.int8)
    path = np.empty(rows, np.int64)
    _walk(cost, -1, total, came)
    x = int(np.argmin(total[rows - 1]))
    path[rows - 1] = x
    for y in range(rows - 1, 0, -1):
        x += came[y, x]
        path[y - 1] = x
    if not closed or abs(path[0] - path[rows - 1]) <= 1:
        return path
    low = max(0, min(path[0], path[rows - 1]) - 8)
    high = min(columns, max(path[0], path[rows - 1]) + 9)
    stride = max(1, (high - low) // 48)
    best_cost = _FAR
    best = path.copy()
    for start in range(low, high, stride):
        _walk(cost, start, total, came)
        for end in range(max(0, start - 1), min(columns, start + 2)):
            if total[rows - 1, end] < best_cost:
                best_cost = total[rows - 1, end]
                x = end
                best[rows - 1] = x
                for y in range(rows - 1, 0, -1):
                    x += came[y, x]
                    best[y - 1] = x
    return best
