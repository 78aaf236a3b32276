"""Broad light: one bright and one dark side in each repeat.

The waves that fit once into the tile are held against those that fit two to six times along the
same axis, and against those of two to three in any direction: a matter that varies broadly
varies at all of these, a lamp in the broadest only.
"""

from __future__ import annotations

import math

import numpy as np

from stonestack.core.image import Floats
from stonestack.core.resize import at_most
from stonestack.core.tile.faults.evidence import HINT, Evidence

_SIDE = 64
_FINER = slice(2, 7)
_AROUND = (1.9, 3.2)
_ALLOWED = (2.0, 1.4)
_VISIBLE = 0.007
_LEAST = 1.7


def light_evidence(values: Floats) -> list[Evidence]:
    """Measure the broadest waves of lightness.

    Parameters
    ----------
    values : ndarray, float32, shape (height, width, channels)
        A ring, as the eye weighs it.

    Returns
    -------
    list of Evidence
        None or one; its size is the span from the darkest to the lightest, of the mean.
    """
    height, width = values.shape[:2]
    small = at_most(values, _SIDE).mean(axis=2, dtype=np.float64)
    relative = small / max(float(small.mean()), 0.05) - 1
    waves = np.abs(np.fft.fft2(relative)) * (2 / relative.size)
    rows, columns = relative.shape
    around = np.hypot(
        np.fft.fftfreq(rows, 1 / rows)[:, np.newaxis], np.fft.fftfreq(columns, 1 / columns)
    )
    ring = waves[(around >= _AROUND[0]) & (around < _AROUND[1])]
    usual = math.sqrt(float(np.square(ring).mean()))
    amplitude = 0.0
    beyond = 0.0
    for line in (waves[0], waves[:, 0]):
        finer = math.sqrt(float(np.square(line[_FINER]).mean()))
        allowed = math.hypot(_VISIBLE, max(_ALLOWED[0] * usual, _ALLOWED[1] * finer))
        amplitude = math.hypot(amplitude, float(line[1]))
        beyond = math.hypot(beyond, float(line[1]) / allowed)
    if beyond <= _LEAST * (1 + HINT):
        return []
    whole = (0.0, 0.0, float(width), float(height))
    return [Evidence("light", whole, beyond / _LEAST - 1, 2 * amplitude)]
