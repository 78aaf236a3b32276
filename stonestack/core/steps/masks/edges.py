"""What masks share: soft edges, and how far each texel lies from a shape's edge."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from stonestack.core.picture.filters import bordered
from stonestack.core.picture.image import Floats

_HALF = np.float32(0.5)


def smooth(t: Floats) -> Floats:
    """Return a smooth step, 0..1, of values that are brought to 0..1."""
    t = np.clip(t, 0, 1)
    return np.asarray(t * t * (3 - 2 * t), np.float32)


def within(inside: Floats, reach: float) -> Floats:
    """Return the share of a shape at each texel.

    Parameters
    ----------
    inside : ndarray
        How far inside each texel lies, in texels; below nothing outside.
    reach : float
        Width of the edge in texels. At one or less it is hard: a texel that it crosses is covered
        by its share.
    """
    if reach <= 1:
        return np.asarray(np.clip(inside + 0.5, 0, 1), np.float32)
    return smooth(np.asarray(inside / reach + 0.5, np.float32))


def places(side: int) -> Floats:
    """Return the middles of a row's texels, as shares of its length."""
    return ((np.arange(side, dtype=np.float32) + _HALF) / np.float32(side)).astype(np.float32)


def ring_away(side: int, middle: float, wraps: bool) -> Floats:
    """Return how far each texel of a row lies from a place, in texels; on a ring the short way."""
    apart = np.arange(side) + 0.5 - middle * side
    if wraps:
        apart = (apart + side / 2) % side - side / 2
    return np.asarray(apart, np.float32)


def _to_nearest(of: NDArray[np.bool_]) -> tuple[Floats, tuple[NDArray[np.int64], ...]]:
    """Return how far texels lie from the nearest that is not of a set, and where that is."""
    import cv2

    _, labels = cv2.distanceTransformWithLabels(
        of.astype(np.uint8), cv2.DIST_L2, cv2.DIST_MASK_5, labelType=cv2.DIST_LABEL_PIXEL
    )
    down, across = np.nonzero(~of)
    place = np.zeros(len(down) + 1, np.int64)
    place[labels[down, across]] = np.arange(len(down))
    nearest = place[labels]
    where = (down[nearest], across[nearest])
    rows, columns = np.ogrid[: of.shape[0], : of.shape[1]]
    return np.hypot(rows - where[0], columns - where[1]).astype(np.float32), where


def _slope(values: Floats) -> Floats:
    """Return how much values change from texel to texel, the steeper way on each axis."""
    across = np.abs(np.diff(values, axis=1, prepend=values[:, :1], append=values[:, -1:]))
    down = np.abs(np.diff(values, axis=0, prepend=values[:1], append=values[-1:]))
    steep = np.hypot(np.maximum(across[:, 1:], across[:, :-1]), np.maximum(down[1:], down[:-1]))
    return np.asarray(np.maximum(steep, np.float32(1e-3)), np.float32)


def signed_distance(mask: Floats, most: float, wraps: bool) -> Floats:
    """Return how far each texel lies inside a mask's edge, in texels, outside below nothing.

    The edge lies where the mask is a half; it is placed within its texel by the mask's value there.

    Parameters
    ----------
    mask : ndarray, float32, shape (height, width)
    most : float
        Distances beyond this need not be right.
    """
    reach = min(int(np.ceil(most)) + 2, max(mask.shape))
    padded = bordered(mask[..., np.newaxis], reach, wraps)[..., 0]
    solid = padded >= 0.5
    far = np.float32(most + 2)
    if solid.all() or not solid.any():
        return np.full(mask.shape, far if solid.any() else -far, np.float32)
    # Each texel's own values say more finely than whole texels how far its middle lies inside.
    fine = np.clip((padded - _HALF) / _slope(padded), -1, 1)
    inwards, outside = _to_nearest(solid)
    outwards, inside = _to_nearest(~solid)
    apart = np.where(solid, inwards + fine[outside], fine[inside] - outwards)
    apart = np.asarray(apart, np.float32)
    rows, columns = (slice(reach, reach + n) for n in mask.shape)
    return np.ascontiguousarray(apart[rows, columns])


_LEVELS = 12
"""How many values of a soft edge are moved; those between lie between."""


def spread(mask: Floats, by: float, wraps: bool) -> Floats:
    """Return a mask moved outwards, each of its values by as many texels.

    It is the dilation of the grey picture by a disc, put together from those of its level sets.

    Source: P. Maragos and R. W. Schafer, "Morphological Filters, Part I", IEEE Trans. ASSP 35
    (1987), section IV, on threshold decomposition.

    Parameters
    ----------
    mask : ndarray, float32, shape (height, width)
        0..1.
    by : float
        In texels, above 0.
    """
    levels = (np.arange(_LEVELS, dtype=np.float32) + _HALF) / _LEVELS
    hard = not np.any((mask > levels[0]) & (mask < levels[-1]))
    if hard or _edge_is_narrow(mask):
        apart = signed_distance(mask, by + 2, wraps)
        return within(np.asarray(apart + np.float32(by), np.float32), 1)
    reach = min(int(np.ceil(by)) + 2, max(mask.shape))
    padded = bordered(mask[..., np.newaxis], reach, wraps)[..., 0]
    rows, columns = (slice(reach, reach + n) for n in mask.shape)
    far = np.float32(by + 2)
    out = np.zeros(mask.shape, np.float32)
    lower = None
    for level in levels:
        away = _beyond(padded, float(level), far)[rows, columns]
        gap = np.float32(1) if lower is None else np.maximum(away - lower, np.float32(1))
        out += np.clip((np.float32(by) - away) / gap + _HALF, 0, 1)
        lower = away
    return out / np.float32(_LEVELS)


def _edge_is_narrow(mask: Floats) -> bool:
    """Tell whether a mask goes from nothing to all within a texel or two: its edge is a line."""
    import cv2

    between = (mask > 0.05) & (mask < 0.95)
    core = cv2.erode(between.astype(np.uint8), np.ones((3, 3), np.uint8))
    return not core.any()


def _beyond(mask: Floats, level: float, far: np.float32) -> Floats:
    """Return how far each texel lies outside of where a mask reaches a level, in texels."""
    import cv2

    outside = mask < level
    if outside.all():
        return np.full(mask.shape, far, np.float32)
    return np.asarray(
        cv2.distanceTransform(outside.astype(np.uint8), cv2.DIST_L2, cv2.DIST_MASK_PRECISE),
        np.float32,
    )
