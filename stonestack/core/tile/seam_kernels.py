"""Steps that their neighbours do not lead one to expect: compiled."""

from __future__ import annotations

import numpy as np
from numba import njit

from stonestack.core.picture.image import Floats


@njit(nogil=True, cache=True)
def surprise(values: Floats, out: Floats, start: int, stop: int) -> None:
    """Fill ``out[y, x]`` with the surprise of the step from column x to x + 1.

    The columns are a ring, so the last entry of a row belongs to the wrap.

    Parameters
    ----------
    values : ndarray, float32, shape (rows, columns, channels)
    out : ndarray, float32, shape (rows, columns)
        Rows ``start`` to ``stop`` are written: the absolute step less the mean of the steps
        before and after it, mean over the channels.
    """
    columns, channels = values.shape[1:]
    scale = np.float32(1 / channels)
    for y in range(start, stop):
        for x in range(columns):
            before = x - 1 if x > 0 else columns - 1
            after = x + 1 if x + 1 < columns else 0
            beyond = after + 1 if after + 1 < columns else 0
            total = np.float32(0)
            for c in range(channels):
                step = values[y, after, c] - values[y, x, c]
                expected = (
                    values[y, x, c]
                    - values[y, before, c]
                    + values[y, beyond, c]
                    - values[y, after, c]
                ) * np.float32(0.5)
                total += abs(step - expected)
            out[y, x] = total * scale
