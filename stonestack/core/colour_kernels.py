"""Values through a table, with straight lines between its entries: compiled."""

from __future__ import annotations

import numpy as np
from numba import njit

from stonestack.core.image import Bytes, Floats


@njit(nogil=True, cache=True)
def through(values: Floats, table: Floats, out: Floats, start: int, stop: int) -> None:
    """Fill ``out[i]`` with the table at ``values[i]``, clipped to 0..1, for flat arrays.

    Parameters
    ----------
    values, out : ndarray, float32, shape (count,)
    table : ndarray, float32, shape (steps + 1,)
        At even steps from 0 to 1.
    """
    steps = np.float32(len(table) - 1)
    for i in range(start, stop):
        place = min(max(values[i], np.float32(0)), np.float32(1)) * steps
        low = min(int(place), len(table) - 2)
        share = place - np.float32(low)
        out[i] = table[low] + (table[low + 1] - table[low]) * share


@njit(nogil=True, cache=True)
def stepped(values: Floats, table: Bytes, out: Bytes, start: int, stop: int) -> None:
    """Fill ``out[i]`` with the nearest entry of a table at ``values[i]``, for flat arrays.

    Parameters
    ----------
    values : ndarray, float32, shape (count,)
        Clipped to 0..1; what is no number counts as 0.
    table : ndarray, uint8, shape (steps + 1,)
        At even steps from 0 to 1.
    out : ndarray, uint8, shape (count,)
    """
    steps = np.float32(len(table) - 1)
    for i in range(start, stop):
        value = values[i] if values[i] > np.float32(0) else np.float32(0)
        out[i] = table[int(min(value, np.float32(1)) * steps + np.float32(0.5))]
