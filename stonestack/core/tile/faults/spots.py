"""Single spots that make the eye see the grid: the culprits of repetition, by their contrast.

The mean of a spot is lost in rough matter, but a spot lifts the darkest in it too, or lowers the
lightest: it lies over the matter like a veil. So the least of each small square is held against
those elsewhere, as in the opening of a picture (J. Serra, "Image Analysis and Mathematical
Morphology", 1982).
"""

from __future__ import annotations

import math

import numpy as np

from stonestack.core.picture.filters import bordered
from stonestack.core.picture.image import Floats
from stonestack.core.picture.measures.quantiles import median
from stonestack.core.picture.resize import at_most
from stonestack.core.tile.faults.evidence import HINT, Evidence
from stonestack.core.tile.period import highest
from stonestack.core.tile.repetition import Culprit, Repetition

_SIDE = 192
_CLEAR = 1.8
"""How many times what chance gives a spot stands out that is surely one."""
_HALVES = (3, 5, 8)
"""Halves of the sides of the squares, in pixels of the side of 192."""
_ONE_ALONE = 3.0
"""How far one square lies beyond the next, in steps from that to the seventh."""
_SEVENTH = 6
_SPREAD, _ROUNDING = 0.25, 0.004
_SEEN = 0.03


def spot_evidence(values: Floats, again: Repetition) -> list[Evidence]:
    """Return the culprits that stand out clearly.

    Parameters
    ----------
    values : ndarray, float32, shape (height, width, channels)
        A ring, as the eye weighs it.
    again : Repetition
        Its culprits.
    """
    height, width = values.shape[:2]
    small = at_most(values, _SIDE)
    found = []
    for culprit in again.culprits:
        if culprit.strength <= _CLEAR * (1 + HINT):
            continue
        reach = culprit.radius * max(width, height)
        box = (culprit.x * width - reach, culprit.y * height - reach, 2 * reach, 2 * reach)
        found.append(
            Evidence("spot", box, culprit.strength / _CLEAR - 1, _contrast(small, culprit))
        )
    return found


def veil_evidence(values: Floats) -> list[Evidence]:
    """Look for squares whose darkest is lighter, or whose lightest is darker, than any other's.

    Parameters
    ----------
    values : ndarray, float32, shape (height, width, channels)
        A ring, as the eye weighs it.
    """
    import cv2

    small = at_most(values, _SIDE)
    scale = values.shape[1] / small.shape[1]
    light = small.mean(axis=2, dtype=np.float32)
    found: list[Evidence] = []
    for radius in _HALVES:
        if 12 * radius > min(light.shape):
            break
        pad = 2 * radius + 4
        around = cv2.GaussianBlur(bordered(light, pad, True), (0, 0), 0.7)
        square = np.ones((2 * radius - 1,) * 2, np.uint8)
        for sign in (1, -1):
            least = cv2.GaussianBlur(cv2.erode(sign * around, square), (0, 0), radius / 3)
            rest = np.asarray(least[pad:-pad, pad:-pad], np.float32)
            places = tops(rest, 3 * radius, _SEVENTH + 1)
            if len(places) <= _SEVENTH:
                continue
            first, second, seventh = (float(rest[places[n]]) for n in (0, 1, _SEVENTH))
            spread = 1.4826 * float(median(np.abs(rest - median(rest))))
            usual = second - seventh + _SPREAD * spread + _ROUNDING
            excess = (first - second) / usual / _ONE_ALONE - 1
            if excess > HINT and first - second > _SEEN:
                row, column = places[0]
                culprit = Culprit(
                    x=(column + 0.5) / light.shape[1],
                    y=(row + 0.5) / light.shape[0],
                    radius=3 * radius / max(light.shape),
                    strength=1.0,
                    words="",
                )
                reach = 2 * radius
                box = ((column - reach), (row - reach), 2 * reach, 2 * reach)
                spot = Evidence("spot", box, excess, _contrast(small, culprit))
                found.append(spot.larger(scale))
    return found


def tops(values: Floats, apart: int, count: int) -> list[tuple[int, int]]:
    """Return the places of a ring's largest values, none nearer to another than ``apart``."""
    height, width = values.shape
    around = highest(bordered(values, apart // 2, True), 2 * (apart // 2) + 1)
    around = around[apart // 2 :, apart // 2 :][:height, :width]
    rows, columns = np.nonzero(values == around)
    order = np.argsort(-values[rows, columns], kind="stable")
    rows, columns = rows[order], columns[order]
    found: list[tuple[int, int]] = []
    while len(found) < count and len(rows):
        y, x = int(rows[0]), int(columns[0])
        found.append((y, x))
        down = (rows - y + height / 2) % height - height / 2
        across = (columns - x + width / 2) % width - width / 2
        left = np.hypot(down, across) >= apart
        rows, columns = rows[left], columns[left]
    return found


def _contrast(small: Floats, culprit: Culprit) -> float:
    height, width = small.shape[:2]
    radius = (culprit.first or culprit.radius) * max(height, width)
    return contrast_of(small, culprit.y * height, culprit.x * width, radius)


def contrast_of(small: Floats, row: float, column: float, radius: float) -> float:
    """Return how far the middle of a spot differs from its surroundings, on the stored scale.

    Parameters
    ----------
    small : ndarray, float32, shape (height, width, channels)
        A ring.
    row, column, radius : float
        In its pixels.
    """
    height, width = small.shape[:2]
    rows = (np.arange(height) - row + height / 2) % height - height / 2
    columns = (np.arange(width) - column + width / 2) % width - width / 2
    away = np.hypot(rows[:, np.newaxis], columns)
    radius = max(radius, 2.0)
    inner, outer = away < 0.5 * radius, (away > 1.5 * radius) & (away < 3 * radius)
    if not inner.any() or not outer.any():
        return 0.0
    apart = small[inner].mean(axis=0) - small[outer].mean(axis=0)
    return math.sqrt(float(np.square(apart).mean()))
