"""Bands that want detail: blurs and cross-fades, anywhere and along either axis.

A cross-fade of unlike parts keeps the mean and loses contrast, half the variance in its middle,
at every scale and in every row; a blur loses the finest most. Contrast of a matter varies too,
but not in all rows at once. It is measured twice, by what is usual and by what stands out: where
edges are few, a cross-fade has twice as many of half the strength, and the usual grows.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from itertools import pairwise

import numpy as np

from stonestack.core.image import Floats
from stonestack.core.tile.faults.evidence import HINT, Evidence, FaultKind, finer_to_coarser, peaks

_BLOCKS = 8
_SCALES = 4
_REACH = 4
_SHARES = (0.02, 0.04, 0.07, 0.12, 0.2, 0.3)
"""Widths of the bands that are looked for, of the side."""
_FLOOR = np.float32(1e-3)
_MOST_COUNTED = (1.15, math.inf)
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
    down = [
        Evidence(e.kind, (e.box[1], e.box[0], e.box[3], e.box[2]), e.excess, e.size)
        for e in _along_columns(np.ascontiguousarray(light.transpose(1, 0, 2)))
    ]
    return across + down


def _along_columns(light: Floats) -> list[Evidence]:
    height, width = light.shape[:2]
    scales = [scale[..., 0] for scale in finer_to_coarser(light, _SCALES)]
    contrasts = [_contrasts(scale) for scale in scales]
    found: list[Evidence] = []
    for share in _SHARES:
        apart = max(3, int(share * width))
        sunk = [
            [_sunk(one, most, share, width) for one, most in zip(both, _MOST_COUNTED, strict=True)]
            for both, scale in zip(contrasts, scales, strict=True)
            if share * scale.shape[1] >= _LEAST_COLUMNS
        ]
        for count in range(1, min(3, len(sunk)) + 1):
            measures = list(zip(*sunk[:count], strict=True))
            beyond = np.mean([_beyond(measure, apart) for measure in measures], axis=0)
            x = int(np.argmax(beyond))
            excess = float(beyond[x]) / _LEAST - 1
            if excess > HINT:
                wide = share * width
                usual = [float(np.mean([low[x] for low, _ in scale])) for scale in sunk]
                fine, coarse = usual[0], usual[min(2, len(usual) - 1)]
                blurred = fine > _BLURRED * max(coarse, 0.02) or fine > _MOST_FADED
                kind: FaultKind = "blur" if blurred else "fade"
                box = ((x + 0.5 - wide / 2) % width, 0.0, wide, float(height))
                found.append(Evidence(kind, box, excess, float(np.mean(usual[:count]))))
    return found


def _beyond(scales: Sequence[tuple[Floats, Floats]], apart: int) -> Floats:
    """Return how far contrast sinks at each column beyond what it does elsewhere, and by chance."""
    mean = np.mean([low for low, _ in scales], axis=0)
    error = np.sqrt(np.mean([np.square(error) for _, error in scales], axis=0))
    lows = peaks(mean.astype(np.float32), apart)
    second = float(mean[lows[1]]) if len(lows) > 1 else 0.0
    other = max(-float(mean.min()), second)
    beyond = np.minimum(mean / (_BEYOND * other + 0.05), mean / (error + 0.01) / 4)
    return np.asarray(beyond, np.float32)


def _contrasts(light: Floats) -> list[Floats]:
    """Return the local contrast by blocks of rows and columns: the usual, and what stands out."""
    import cv2

    around = np.pad(light, _REACH, mode="wrap")
    soft = cv2.GaussianBlur(around, (2 * _REACH + 1,) * 2, 1.0)[_REACH:-_REACH, _REACH:-_REACH]
    apart = np.abs(light - soft)
    edges = np.linspace(0, light.shape[0], _BLOCKS + 1).round().astype(int)
    parts = [apart[a:b] for a, b in pairwise(edges)]
    usual = np.square(np.stack([np.sqrt(part).mean(axis=0) for part in parts]))
    strong = np.stack([np.square(np.square(part)).mean(axis=0) for part in parts]) ** 0.25
    return [np.asarray(one + _FLOOR, np.float32) for one in (usual, strong)]


def _sunk(contrast: Floats, most: float, share: float, width: int) -> tuple[Floats, Floats]:
    """Return how far contrast lies below the middling one around each column, and its error."""
    columns = contrast.shape[1]
    span = max(3, int(share * columns) | 1)
    usual = np.median(contrast, axis=1, keepdims=True)
    level = np.log(_around(np.minimum(contrast, most * usual), span))
    level -= np.median(level, axis=1, keepdims=True)
    error = level.std(axis=0, ddof=1) / math.sqrt(_BLOCKS)
    at = np.arange(width) * columns // width
    mean = level.mean(axis=0)
    return (np.median(mean) - mean)[at], error[at]


def _around(values: Floats, span: int) -> Floats:
    """Return means over ``span`` places of a ring, an odd number, around each."""
    half = span // 2
    ring = np.concatenate([values[:, -half:], values, values[:, :half]], axis=1)
    total = np.cumsum(ring, axis=1, dtype=np.float64)
    total = np.concatenate([np.zeros((len(total), 1)), total], axis=1)
    return np.asarray((total[:, span:] - total[:, :-span]) / span, np.float32)
