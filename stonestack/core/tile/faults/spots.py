"""Single spots that make the eye see the grid: the culprits of repetition, by their contrast."""

from __future__ import annotations

import math

import numpy as np

from stonestack.core.image import Floats
from stonestack.core.resize import at_most
from stonestack.core.tile.faults.evidence import HINT, Evidence
from stonestack.core.tile.repetition import Culprit, Repetition

_SIDE = 192
_CLEAR = 1.8
"""How many times what chance gives a spot stands out that is surely one."""


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


def _contrast(small: Floats, culprit: Culprit) -> float:
    """Return how far the middle of a spot differs from its surroundings, on the stored scale."""
    height, width = small.shape[:2]
    rows = (np.arange(height) / height - culprit.y + 0.5) % 1 - 0.5
    columns = (np.arange(width) / width - culprit.x + 0.5) % 1 - 0.5
    longest = max(height, width)
    away = np.hypot(rows[:, np.newaxis] * height / longest, columns * width / longest)
    radius = max(culprit.first or culprit.radius, 2 / longest)
    inner, outer = away < 0.5 * radius, (away > 1.5 * radius) & (away < 3 * radius)
    if not inner.any() or not outer.any():
        return 0.0
    apart = small[inner].mean(axis=0) - small[outer].mean(axis=0)
    return math.sqrt(float(np.square(apart).mean()))
