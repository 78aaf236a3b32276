"""Linear light to OKLab and back, texel by texel: compiled."""

from __future__ import annotations

import numpy as np
from numba import njit

from stonestack.core.picture.image import Floats
from stonestack.core.picture.kernels.srgb import root


@njit(nogil=True, cache=True, fastmath=True, error_model="numpy")
def _signed(value: np.float32) -> np.float32:
    size = root(np.float32(abs(value)))
    return size if value >= 0 else -size


@njit(nogil=True, cache=True, fastmath=True, error_model="numpy")
def mixed_roots(values: Floats, first: Floats, second: Floats, out: Floats) -> None:
    """Fill ``out[i]`` with ``second @ cbrt(first @ values[i])``, arrays of shape (count, 3)."""
    for i in range(len(values)):
        a, b, c = values[i, 0], values[i, 1], values[i, 2]
        x = first[0, 0] * a + first[0, 1] * b + first[0, 2] * c
        y = first[1, 0] * a + first[1, 1] * b + first[1, 2] * c
        z = first[2, 0] * a + first[2, 1] * b + first[2, 2] * c
        x, y, z = _signed(x), _signed(y), _signed(z)
        for k in range(3):
            out[i, k] = second[k, 0] * x + second[k, 1] * y + second[k, 2] * z


@njit(nogil=True, cache=True, fastmath=True, error_model="numpy")
def mixed_cubes(values: Floats, first: Floats, second: Floats, out: Floats) -> None:
    """Fill ``out[i]`` with ``second @ (first @ values[i]) ** 3``, clipped to 0..1.

    Arrays are of shape (count, 3).
    """
    for i in range(len(values)):
        a, b, c = values[i, 0], values[i, 1], values[i, 2]
        x = first[0, 0] * a + first[0, 1] * b + first[0, 2] * c
        y = first[1, 0] * a + first[1, 1] * b + first[1, 2] * c
        z = first[2, 0] * a + first[2, 1] * b + first[2, 2] * c
        x, y, z = x * x * x, y * y * y, z * z * z
        for k in range(3):
            value = second[k, 0] * x + second[k, 1] * y + second[k, 2] * z
            out[i, k] = min(max(value, np.float32(0)), np.float32(1))
