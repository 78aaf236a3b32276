"""Bands that want detail: blurs and cross-fades, anywhere and along either axis.

A cross-fade of unlike parts keeps the mean and loses contrast, half the variance in its middle,
at every scale and in every row; a blur loses the finest most. Contrast of a matter varies too,
but not in all rows at once. It is measured twice, by what is usual and by what stands out: where
edges are few, a cross-fade has twice as many of half the strength, and the usual grows.
"""

from __future__ import annotations

import math
from itertools import pairwise

import numpy as np

from stonestack.core.picture.filters import bordered
from stonestack.core.picture.image import Floats
from stonestack.core.picture.measures.quantiles import median
from stonestack.core.tile.faults.evidence import HINT, Evidence, FaultKind, finer_to_coarser, peaks

_BLOCKS = 8
_SCALES = 4
_REACH = 4
_SHARES = (0.02, 0.04, 0.07, 0.12, 0.2, 0.3)
"""Widths of the bands that are looked for, of the side."""
_FLOOR = np.float32(1e-3)
_MOST_COUNTED = np.array([1.15, np.inf], np.float32)[:, np.newaxis, np.newaxis]
"""How many times the middling contrast a column counts at most, by the usual differences and by
those that stand out: of joints the usual one has none, and a board without one is no blurred band.
"""
_DARK = np.float32(0.05)
_LEAST_COLUMNS = 2.5
_LEAST = 1.03
_BEYOND = 1.3
"""How many times the contrast of the usual columns may rise above the middle, sinks may be deep."""
_BLURRED = 1.5
_MOST_FADED = 0.6
"""A cross-fade leaves seven tenths of the contrast in its middle; a deeper want is a blur."""


def band_evidence(values: Floats) -> list[Evidence]:
    """Look for bands along both axes.

    Parameters
    ----------
    values : ndarray, float32, shape (height, width, channels)
        A ring, as the eye weighs it.
    """
    # A darker board has less contrast in the same measure, and is no fault.
    light = np.log(np.maximum(values.mean(axis=2, keepdims=True, dtype=np.float32), _DARK))
    across = _along_columns(light)
    down = _along_columns(np.ascontiguousarray(light.transpose(1, 0, 2)))
    return [*across, *(found.turned() for found in down)]


def _along_columns(light: Floats) -> list[Evidence]:
    height, width = light.shape[:2]
    scales = [scale[..., 0] for scale in finer_to_coarser(light, _SCALES)]
    sunk = [_sunk(_contrasts(scale), width) for scale in scales]
    found: list[Evidence] = []
    for n, share in enumerate(_SHARES):
        apart = max(3, int(share * width))
        fit = [scale.shape[1] * share >= _LEAST_COLUMNS for scale in scales]
        lows = [low[n] for (low, _), fits in zip(sunk, fit, strict=True) if fits]
        errors = [error[n] for (_, error), fits in zip(sunk, fit, strict=True) if fits]
        for count in range(1, min(3, len(lows)) + 1):
            low = np.mean(lows[:count], axis=0)
            error = np.sqrt(np.mean(np.square(errors[:count]), axis=0))
            beyond = (_beyond(low[0], error[0], apart) + _beyond(low[1], error[1], apart)) / 2
            x = int(np.argmax(beyond))
            excess = float(beyond[x]) / _LEAST - 1
            if excess > HINT:
                wide = share * width
                usual = [float(scale[:, x].mean()) for scale in lows]
                fine, coarse = usual[0], usual[min(2, len(usual) - 1)]
                blurred = fine > _BLURRED * max(coarse, 0.02) or fine > _MOST_FADED
                kind: FaultKind = "blur" if blurred else "fade"
                box = ((x + 0.5 - wide / 2) % width, 0.0, wide, float(height))
                found.append(Evidence(kind, box, excess, float(np.mean(usual[:count]))))
    return found


def _beyond(low: Floats, error: Floats, apart: int) -> Floats:
    """Return how far contrast sinks at each column beyond what it does elsewhere, and by chance."""
    lows = peaks(low, apart, 2)
    second = float(low[lows[1]]) if len(lows) > 1 else 0.0
    other = max(-float(low.min()), second)
    beyond = np.minimum(low / (_BEYOND * other + 0.05), low / (error + 0.01) / 4)
    return np.asarray(beyond, np.float32)


def _contrasts(light: Floats) -> Floats:
    """Return the local contrast by blocks of rows and columns: the usual, and what stands out.

    Returns
    -------
    ndarray, float32, shape (2, blocks, columns)
    """
    import cv2

    around = bordered(light, _REACH, True)
    soft = cv2.GaussianBlur(around, (2 * _REACH + 1,) * 2, 1.0)[_REACH:-_REACH, _REACH:-_REACH]
    apart = np.abs(light - soft)
    edges = np.linspace(0, light.shape[0], _BLOCKS + 1).round().astype(int)
    parts = [apart[a:b] for a, b in pairwise(edges)]
    usual = np.square(np.stack([np.sqrt(part).mean(axis=0) for part in parts]))
    strong = np.stack([np.square(np.square(part)).mean(axis=0) for part in parts]) ** 0.25
    return np.asarray(np.stack([usual, strong]) + _FLOOR, np.float32)


def _sunk(contrasts: Floats, width: int) -> tuple[Floats, Floats]:
    """Return how far contrast lies below the middling one around each column, and its error.

    Parameters
    ----------
    contrasts : ndarray, float32, shape (2, blocks, columns)
        The usual, and what stands out.
    width : int
        Columns of the finest scale.

    Returns
    -------
    tuple of two ndarray, float32, shape (shares, 2, width)
    """
    columns = contrasts.shape[-1]
    counted = np.minimum(contrasts, _MOST_COUNTED * median(contrasts, axis=-1))
    level = np.log(_around(counted, [max(3, int(share * columns) | 1) for share in _SHARES]))
    level -= median(level, axis=-1)
    error = level.std(axis=2, ddof=1) / np.float32(math.sqrt(_BLOCKS))
    mean = level.mean(axis=2)
    at = np.arange(width) * columns // width
    return (median(mean, axis=-1) - mean)[..., at], error[..., at]


def _around(values: Floats, spans: list[int]) -> Floats:
    """Return means over each of the spans of a ring, odd numbers, around each of its places."""
    most, count = spans[-1] // 2, values.shape[-1]
    pad = [(0, 0)] * (values.ndim - 1)
    ring = np.pad(values, [*pad, (most, most)], mode="wrap")
    total = np.pad(np.cumsum(ring, axis=-1, dtype=np.float64), [*pad, (1, 0)])
    around = np.empty((len(spans), *values.shape), np.float32)
    for n, span in enumerate(spans):
        first = most - span // 2
        ends = total[..., first + span : first + span + count]
        around[n] = (ends - total[..., first : first + count]) / span
    return around
