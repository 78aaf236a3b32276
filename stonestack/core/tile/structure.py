"""Whether a structure goes on over the joins: bricks in their bond, threads over and under.

Joints of its own step more than a wrong bond does, so the step across the wrap cannot tell. Here
the picture is held against itself a step of its lattice away: pairs that cross the wrap against
those that do not, by normalised correlation.
"""

from __future__ import annotations

import math

import numpy as np

from stonestack.core.picture.image import Floats
from stonestack.core.picture.resize import at_most
from stonestack.core.tile.period import Lattice

_SIDE = 256
_LEAST_STRENGTH = 0.3
"""Strength of a lattice below which it does not say what should come after the wrap."""
_LEAST_STEP = 3.0
_LONGEST_STEP = 0.4
"""Of the side: a longer one leaves too little that does not cross."""
_COMBINED = range(-1, 2)


def structure_of(values: Floats, lattice: Lattice | None) -> tuple[float, float]:
    """Return how well the structure goes on over the left and right, and top and bottom joins.

    Parameters
    ----------
    values : ndarray, float32, shape (height, width, channels)
        As the eye weighs them.
    lattice : Lattice or None
        How they recur, in pixels.

    Returns
    -------
    (float, float)
        0 to 1: 1 where it goes on as it does inside, and where there is no structure.
    """
    if lattice is None or lattice.strength < _LEAST_STRENGTH:
        return 1.0, 1.0
    import cv2

    small = at_most(values, _SIDE).mean(axis=2, dtype=np.float32)
    height, width = small.shape
    shrink = (width / values.shape[1], height / values.shape[0])
    sigma = max(height, width) / 8
    detail = small - cv2.GaussianBlur(small, (0, 0), sigma, borderType=cv2.BORDER_REPLICATE)
    steps = [(x * shrink[0], y * shrink[1]) for x, y in combined(lattice)]
    return _goes_on(detail, steps), _goes_on(
        np.ascontiguousarray(detail.T), [(y, x) for x, y in steps]
    )


def combined(lattice: Lattice) -> list[tuple[float, float]]:
    """Return the steps that lead to the same again: sums of both, each once, back or not at all."""
    a, b = lattice.first, lattice.second or (0.0, 0.0)
    sums = {
        (n * a[0] + m * b[0], n * a[1] + m * b[1])
        for n in _COMBINED
        for m in (_COMBINED if lattice.second else (0,))
    }
    return sorted(sums)


def _goes_on(detail: Floats, steps: list[tuple[float, float]]) -> float:
    """Return the score of the join of the last column with the first."""
    # What is the same all along a join goes on over it however that is shifted, and hides what
    # does not: a wrong bond shows without it. A wrong width of tiles in rows shows only with it.
    varying = detail - detail.mean(axis=0, dtype=np.float32)
    return min(_compared(detail, steps), _compared(varying, steps))


def _compared(detail: Floats, steps: list[tuple[float, float]]) -> float:
    height, width = detail.shape
    best: tuple[float, float] | None = None
    for dx, dy in steps:
        if not _LEAST_STEP <= dx <= _LONGEST_STEP * width or abs(dy) > _LONGEST_STEP * height:
            continue
        inside, crossing = _alike(detail, dx, dy)
        if best is None or inside > best[0]:
            best = (inside, crossing)
    if best is None or best[0] <= 0:
        return 1.0
    return min(1.0, max(0.0, best[1] / best[0]))


def _alike(detail: Floats, dx: float, dy: float) -> tuple[float, float]:
    """Return the least correlation of windows inside, and that of the one over the wrap."""
    ahead = _rolled(detail, dx, dy)
    # Rows that run over the other wrap belong to the other join.
    kept = slice(0, detail.shape[0] - math.ceil(dy)) if dy >= 0 else slice(math.ceil(-dy), None)
    here, ahead = detail[kept], ahead[kept]
    both = (here * ahead).sum(axis=0), np.square(here).sum(axis=0), np.square(ahead).sum(axis=0)
    span = max(1, math.floor(dx))
    sums = [np.convolve(part, np.ones(span), "valid") for part in both]
    alike = sums[0] / np.sqrt(np.maximum(sums[1] * sums[2], 1e-12))
    # The last window is all that crosses; those before it that touch it are left out.
    inside = alike[: max(1, len(alike) - math.ceil(dx))]
    return float(inside.min()), float(alike[-1])


def _rolled(detail: Floats, dx: float, dy: float) -> Floats:
    """Return what lies a step away on the ring, between pixels by straight lines."""
    x, y = math.floor(dx), math.floor(dy)
    fx, fy = np.float32(dx - x), np.float32(dy - y)
    near = np.roll(detail, (-y, -x), (0, 1)) * (1 - fy) + np.roll(detail, (-y - 1, -x), (0, 1)) * fy
    return np.asarray(near * (1 - fx) + np.roll(near, -1, 1) * fx, dtype=np.float32)
