"""What is left of a tile when what recurs by its structure is taken away.

A joint hides a line, and bricks alike hide a clone: both are there at every step of the lattice,
while a fault is not. So each place is held against the mean of the places whole steps away.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from stonestack.core.picture.image import Floats
from stonestack.core.picture.resize import at_most
from stonestack.core.runtime.parallel import over_bands, rows_worth
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
    return np.asarray(values - _mean_of_moved(values, steps) + values.mean(), np.float32)


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


def _mean_of_moved(values: Floats, steps: list[tuple[float, float]]) -> Floats:
    """Return the mean of a ring as it is some steps away."""
    from stonestack.core.tile.faults.residual_kernels import mean_of_moved

    height, _, channels = values.shape
    rows = np.ascontiguousarray(values, np.float32).reshape(height, -1)
    whole = np.floor(steps)
    part = np.asarray(np.array(steps) - whole, np.float32)
    out = np.empty_like(rows)
    over_bands(
        lambda a, b: mean_of_moved(rows, channels, whole.astype(np.int64), part, out, a, b),
        height,
        rows_worth(len(steps) * rows.shape[1]),
    )
    return out.reshape(values.shape)
