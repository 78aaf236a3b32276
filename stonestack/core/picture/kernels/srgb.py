"""The sRGB transfer function and tables with straight lines between, value by value: compiled.

Loops go over whole arrays from nought, and divisions follow IEEE 754, so that they become vector
instructions; callers hand in parts of arrays.
"""

from __future__ import annotations

import numpy as np
from numba import njit

from stonestack.core.picture.image import Bytes, Floats


@njit(nogil=True, cache=True, fastmath=True, error_model="numpy")
def root(size: np.float32) -> np.float32:
    """Return the cube root of what is not below 0, to 2e-7 of it.

    A guess from a third of the exponent and two steps of Halley; W. Kahan, "Computing a Real Cube
    Root" (1991).
    """
    guess = np.int32(np.float32(size).view(np.int32) // np.int32(3) + np.int32(709921077))
    found = guess.view(np.float32)
    for _ in range(2):
        cube = found * found * found
        found = found * (cube + size + size) / (cube + cube + size + np.float32(1e-30))
    return found


@njit(nogil=True, cache=True, fastmath=True, error_model="numpy")
def _fifth_root(size: np.float32) -> np.float32:
    """Return the fifth root of what is well above 0, as :func:`root` does."""
    guess = np.int32(np.float32(size).view(np.int32) // np.int32(5) + np.int32(852265575))
    found = guess.view(np.float32)
    for _ in range(2):
        square = found * found
        fifth = square * square * found
        twice, thrice = fifth + fifth + np.float32(3) * size, np.float32(3) * fifth + size + size
        found = found * twice / thrice
    return found


@njit(nogil=True, cache=True, fastmath=True, error_model="numpy")
def encoded(values: Floats, out: Floats) -> None:
    """Fill ``out`` with linear light encoded, clipped to 0..1, for flat arrays.

    ``x ** (1 / 2.4)`` is the cube root times the fourth root of that.
    """
    for i in range(values.size):
        x = min(max(values[i], np.float32(0)), np.float32(1))
        third = root(x)
        high = np.float32(1.055) * third * np.sqrt(np.sqrt(third)) - np.float32(0.055)
        high = min(high, np.float32(1))
        out[i] = high if x > np.float32(0.0031308) else x * np.float32(12.92)


@njit(nogil=True, cache=True, fastmath=True, error_model="numpy")
def decoded(values: Floats, out: Floats) -> None:
    """Fill ``out`` with encoded values as linear light, clipped to 0..1, for flat arrays.

    ``x ** 2.4`` is the square times the square of the fifth root.
    """
    for i in range(values.size):
        x = min(max(values[i], np.float32(0)), np.float32(1))
        lifted = (x + np.float32(0.055)) * np.float32(1 / 1.055)
        fifth = _fifth_root(lifted)
        high = min(lifted * lifted * fifth * fifth, np.float32(1))
        out[i] = high if x > np.float32(0.04045) else x * np.float32(1 / 12.92)


@njit(nogil=True, cache=True)
def through(values: Floats, table: Floats, out: Floats) -> None:
    """Fill ``out`` with the table at each value, clipped to 0..1, for flat arrays.

    Parameters
    ----------
    values, out : ndarray, float32, shape (count,)
    table : ndarray, float32, shape (steps + 1,)
        At even steps from 0 to 1.
    """
    steps, last = np.float32(len(table) - 1), np.uint32(len(table) - 2)
    for i in range(values.size):
        place = min(max(values[i], np.float32(0)), np.float32(1)) * steps
        low = min(np.uint32(place), last)
        share = place - np.float32(low)
        out[i] = table[low] + (table[low + np.uint32(1)] - table[low]) * share


@njit(nogil=True, cache=True)
def stepped(values: Floats, table: Bytes, out: Bytes) -> None:
    """Fill ``out`` with the nearest entry of a table at each value.

    Parameters
    ----------
    values : ndarray, float32, shape (count, channels)
        Clipped to 0..1; what is no number counts as 0.
    table : ndarray, uint8, shape (steps + 1,)
        At even steps from 0 to 1.
    out : ndarray, uint8, shape (count, channels)
    """
    steps = np.float32(len(table) - 1)
    for i in range(values.shape[0]):
        for k in range(values.shape[1]):
            value = values[i, k] if values[i, k] > np.float32(0) else np.float32(0)
            out[i, k] = table[np.uint32(min(value, np.float32(1)) * steps + np.float32(0.5))]
