"""What is left of a tile when what recurs by its structure is taken away.

A joint hides a line, and bricks alike hide a clone: both are there at every step of the lattice,
while a fault is not. So each place is held against the mean of the places whole steps away.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from stonestack.core.image import Floats
from stonestack.core.resize import at_most
from stonestack.core.tile.period import Lattice

_SIDE = 768
_LEAST_STRENGTH = 0.45
_FARTHEST = 2
_MOST = 8
_LEAST_AWAY = 6.0
"""Pixels along an axis; what runs across it is still the same nearer than that."""


def residual(values: Floats, lattice: Lattice | None, axis: int | None = None) -> Floats | None:
    """Return a ring less what recurs on it, with its mean kept; None where too little does.

    It is at most 768 pixels a side; a larger ring is shrunk to that.

    Parameters
    ----------
    values : ndarray, float32, shape (height, width, channels)
        A ring.
    lattice : Lattice or None
        How it recurs, in pixels.
    axis : {0, 1}, optional
        Go along x (1) or y (0): what runs straight the other way is kept.
    """
    if lattice is None or lattice.strength < _LEAST_STRENGTH:
        return None
    width = values.shape[1]
    values = at_most(values, _SIDE)
    lattice = lattice.scaled(values.shape[1] / width)
    steps = _steps(lattice, values.shape[:2], axis)
    if len(steps) < 2:
        return None
    total = np.zeros_like(values)
    for x, y in steps:
        total += _moved(values, x, y)
    return np.asarray(values - total / np.float32(len(steps)) + values.mean(), np.float32)


def _steps(lattice: Lattice, shape: tuple[int, ...], axis: int | None) -> list[tuple[float, float]]:
    """Return the shortest steps to the same again, each with its opposite."""
    first = np.array(lattice.first)
    second = np.array(lattice.second) if lattice.second is not None else np.zeros(2)
    most = range(-_FARTHEST, _FARTHEST + 1)
    sums: NDArray[np.float64] = np.array(
        [n * first + m * second for n in most for m in most if (n, m) > (0, 0)]
    )
    away = np.abs(sums) if axis is None else np.abs(sums[:, [1 - axis]])
    half = np.array(shape[::-1]) / 2
    fit = (away.max(axis=1) >= _LEAST_AWAY) & (np.abs(sums) <= half + 1).all(axis=1)
    sums = sums[fit]
    near = sums[np.argsort(np.hypot(*sums.T), kind="stable")][: _MOST // 2]
    return [(float(s * x), float(s * y)) for x, y in near for s in (1, -1)]


def _moved(values: Floats, x: float, y: float) -> Floats:
    """Return the ring as it is a step away, between pixels by straight lines."""
    left, top = int(np.floor(x)), int(np.floor(y))
    fx, fy = np.float32(x - left), np.float32(y - top)
    out = np.zeros_like(values)
    for dx, wx in ((left, 1 - fx), (left + 1, fx)):
        for dy, wy in ((top, 1 - fy), (top + 1, fy)):
            if wx * wy > 0:
                out += np.roll(values, (-dy, -dx), axis=(0, 1)) * np.float32(wx * wy)
    return out
