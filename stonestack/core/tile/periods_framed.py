"""Frames that hold whole periods of a structure, as large as a picture allows."""

from __future__ import annotations

import math

from stonestack.core.tile.period import Lattice

_TRIED = 200
_SKEW_PRICE = 8.0
"""How much a frame whose sides are not upright on one another loses by it."""
_LEAN = math.radians(14)
"""How far a frame may lean to hold whole periods."""


def whole_periods(
    lattice: Lattice, width: int, height: int
) -> tuple[tuple[float, float], ...] | None:
    """Propose a frame that holds whole periods, as large as the picture allows.

    Returns
    -------
    tuple of four (x, y), or None
        Corners as shares of the sides: top left, top right, bottom right, bottom left. None
        where no frame that is nearly upright holds a whole period.
    """
    steps = _combined(lattice, width, height)
    best: tuple[float, tuple[float, float], tuple[float, float]] | None = None
    for u in steps[0]:
        for v in steps[1]:
            box = (abs(u[0]) + abs(v[0]), abs(u[1]) + abs(v[1]))
            if box[0] > width + 0.5 or box[1] > height + 0.5:
                continue
            skew = abs(u[0] * v[0] + u[1] * v[1]) / (math.hypot(*u) * math.hypot(*v))
            worth = abs(u[0] * v[1] - u[1] * v[0]) * (1 - min(1.0, _SKEW_PRICE * skew))
            if worth > 0 and (best is None or worth > best[0]):
                best = (worth, u, v)
    if best is None:
        return None
    _, u, v = best
    corners = []
    for along, down in ((-0.5, -0.5), (0.5, -0.5), (0.5, 0.5), (-0.5, 0.5)):
        x = width / 2 + along * u[0] + down * v[0]
        y = height / 2 + along * u[1] + down * v[1]
        corners.append((min(1.0, max(0.0, x / width)), min(1.0, max(0.0, y / height))))
    return tuple(corners)


def _combined(
    lattice: Lattice, width: int, height: int
) -> tuple[list[tuple[float, float]], list[tuple[float, float]]]:
    """Return the sums of steps that lead nearly across, and those that lead nearly down."""
    a, b = lattice.first, lattice.second
    across: list[tuple[float, float]] = []
    down: list[tuple[float, float]] = []
    shortest = max(1.0, min(math.hypot(*a), math.hypot(*b) if b else math.inf))
    most = min(64, math.ceil(max(width, height) / shortest) + 1)
    for i in range(-most, most + 1):
        for j in range(-most, most + 1) if b else (0,):
            x = i * a[0] + (j * b[0] if b else 0)
            y = i * a[1] + (j * b[1] if b else 0)
            if x > 0 and x <= width and abs(math.atan2(y, x)) < _LEAN:
                across.append((x, y))
            if y > 0 and y <= height and abs(math.atan2(x, y)) < _LEAN:
                down.append((x, y))
    if b is None:
        # Stripes: the other way anything goes on.
        if across and not down:
            down = [(0.0, float(height))]
        elif down and not across:
            across = [(float(width), 0.0)]
    return _longest(across), _longest(down)


def _longest(steps: list[tuple[float, float]]) -> list[tuple[float, float]]:
    return sorted(steps, key=lambda step: -math.hypot(*step))[:_TRIED]
