"""Where a structure breaks: bricks out of their bond, a course cut, at any place of a ring.

The ring is held against itself a step of its lattice away, along strips one step wide; where the
strip is less alike than all others, the lattice does not go on.
"""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from stonestack.core.picture.filters import bordered
from stonestack.core.picture.image import Floats
from stonestack.core.picture.measures.quantiles import median
from stonestack.core.picture.resize import at_most
from stonestack.core.tile.faults.evidence import Evidence
from stonestack.core.tile.period import Lattice, ridges_of_ring
from stonestack.core.tile.structure import combined

_SIDE = 256
_LEAST_STRENGTH = 0.3
_LEAST_STEP = 3.0
_LONGEST_STEP = 0.4
_BREAK = 0.55
_IN_PAIRS, _PART = 0.8, 2.5
"""Two breaks are the more likely the matter's own; a part between them holds some steps."""
_LEAST_FALL = 0.15
_OFF, _OFF_SHARE = 2.5, 0.12
"""Pixels, and share of a step, by which a shift is off the lattice."""
_VARIES = 1.0
"""How the fall compares with what strips differ by that are whole."""


def bond_evidence(values: Floats, lattice: Lattice | None) -> list[Evidence]:
    """Look for breaks along both axes.

    Parameters
    ----------
    values : ndarray, float32, shape (height, width, channels)
        A ring, as the eye weighs it.
    lattice : Lattice or None
        How it recurs, in pixels.
    """
    if lattice is None or lattice.strength < _LEAST_STRENGTH:
        return []
    import cv2

    coloured = at_most(values, _SIDE)
    small = coloured.mean(axis=2, dtype=np.float32)
    height, width = small.shape
    pad = max(height, width) // 3
    broad = cv2.GaussianBlur(bordered(small, pad, True), (0, 0), max(height, width) / 8)
    detail = small - broad[pad:-pad, pad:-pad]
    shrink = (width / values.shape[1], height / values.shape[0])
    steps = [(x * shrink[0], y * shrink[1]) for x, y in combined(lattice)]
    # Joints are often told by their hue, and bricks have tones of their own.
    features = (detail, ridges_of_ring(coloured))
    basis = None
    if lattice.second is not None:
        basis = (np.array([lattice.first, lattice.second]) * shrink).T
    across = _broken(features, steps, basis, values.shape[1], values.shape[0])
    turned = tuple(np.ascontiguousarray(feature.T) for feature in features)
    aside = None if basis is None else basis[::-1]
    down = _broken(turned, [(y, x) for x, y in steps], aside, values.shape[0], values.shape[1])
    return [*across, *(found.turned() for found in down)]


def _broken(
    features: Sequence[Floats],
    steps: list[tuple[float, float]],
    basis: NDArray[np.float64] | None,
    width: int,
    height: int,
) -> list[Evidence]:
    found = []
    # What is the same along a whole column goes on over a wrong bond, and hides it.
    levelled = [feature - feature.mean(axis=0, dtype=np.float32) for feature in features]
    for values in (*features, *levelled):
        best: tuple[float, tuple[float, float], Floats] | None = None
        for dx, dy in steps:
            if not _LEAST_STEP <= dx <= _LONGEST_STEP * values.shape[1]:
                continue
            if abs(dy) > _LONGEST_STEP * values.shape[0]:
                continue
            alike = _alike(values, dx, dy)
            middle = float(median(alike))
            if best is None or middle > best[0]:
                best = (middle, (dx, dy), alike)
        if best is None or best[0] < _LEAST_STRENGTH:
            continue
        middle, (dx, dy), alike = best
        count = len(alike)
        # Breaks come alone, or as the two sides of a part.
        x = int(np.argmin(alike))
        rest = np.where(_away(count, x) > 1.2 * dx, alike, np.inf)
        other = int(np.argmin(np.where(_away(count, x) > _PART * dx, alike, np.inf)))
        for places in ((x,), (x, other)):
            left = rest
            if len(places) == 2:
                left = np.where(_away(count, other) > 1.2 * dx, rest, np.inf)
            usual = float(left.min()) if np.isfinite(left).any() else middle
            worst = float(alike[places[-1]])
            fall = usual - worst
            least_fallen = _BREAK * usual * (1 if len(places) == 1 else _IN_PAIRS)
            if worst >= least_fallen or fall <= max(_LEAST_FALL, _VARIES * (middle - usual)):
                continue
            if basis is not None and not any(
                _goes_on_elsewhere(values, basis, place, dx, (usual + float(alike[place])) / 2)
                for place in places
            ):
                continue
            for place in places:
                least = float(alike[place])
                at = (place + dx) / count * width % width
                excess = (_BREAK * usual - least) / (_BREAK * usual) + 1e-3
                wide = dx / count * width
                box = (at - wide / 2, 0.0, wide, float(height))
                found.append(Evidence("bond", box, excess, 1 - max(0.0, least) / usual))
            break
    return found


def _goes_on_elsewhere(
    values: Floats, basis: NDArray[np.float64], place: int, dx: float, least: float
) -> bool:
    """Tell whether a strip goes on best at a shift that is no step of the lattice.

    Where bricks are only of unlike tones it goes on at some step or nowhere; out of their bond it
    goes on elsewhere.

    Parameters
    ----------
    basis : ndarray, float64, shape (2, 2)
        The steps of the lattice, as columns.
    place : int
        First column of the strip; it is one step wide.
    dx : float
        How far the strip lies away in which it should go on.
    least : float
        How alike it has to be there.
    """
    import cv2

    height = len(values)
    span = max(1, math.floor(dx))
    reach = max(1, span // 2)
    strip = np.ascontiguousarray(np.take(values, np.arange(place, place + span), 1, mode="wrap"))
    first = place + round(dx) - reach
    around = np.take(values, np.arange(first, first + span + 2 * reach), 1, mode="wrap")
    area = np.ascontiguousarray(np.pad(around, ((0, height - 1), (0, 0)), mode="wrap"))
    alike = cv2.matchTemplate(area, strip, cv2.TM_CCORR_NORMED)
    down, across = np.mgrid[0:height, 0 : 2 * reach + 1]
    across = across - reach + round(dx)
    near = max(_OFF, _OFF_SHARE * dx)
    on = np.zeros(alike.shape, bool)
    for turn in (0, height):
        shifts = np.stack([across, down - turn]).reshape(2, -1)
        parts = np.linalg.solve(basis, shifts)
        on |= np.linalg.norm(basis @ (parts - np.round(parts)), axis=0).reshape(on.shape) < near
    elsewhere = float(alike[~on].max(initial=-1))
    return elsewhere >= max(least, float(alike[on].max(initial=-1)))


def _away(count: int, place: int) -> Floats:
    """Return how far each place of a ring lies from one."""
    away = np.abs((np.arange(count) - place + count / 2) % count - count / 2)
    return np.asarray(away, np.float32)


def _alike(detail: Floats, dx: float, dy: float) -> Floats:
    """Return the correlation of each strip of columns with what lies a step away, on the ring."""
    x, y = math.floor(dx), math.floor(dy)
    fx, fy = np.float32(dx - x), np.float32(dy - y)
    near = np.roll(detail, (-y, -x), (0, 1)) * (1 - fy) + np.roll(detail, (-y - 1, -x), (0, 1)) * fy
    ahead = near * (1 - fx) + np.roll(near, -1, 1) * fx
    span = max(1, math.floor(dx))

    def strips(columns: Floats) -> Floats:
        ring = np.concatenate([columns, columns[: span - 1]])
        return np.asarray(np.convolve(ring, np.ones(span), "valid"), np.float32)

    both = strips((detail * ahead).sum(axis=0))
    energy = strips(np.square(detail).sum(axis=0)) * strips(np.square(ahead).sum(axis=0))
    return np.asarray(both / np.sqrt(np.maximum(energy, 1e-12)), np.float32)
