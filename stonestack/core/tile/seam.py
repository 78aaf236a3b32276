"""How well the edges of a tile meet: the step across the wrap, and the detail beside it.

Both are held against the picture's own inside, so that a score needs no threshold per
material: 1.0, give or take a tenth, means that nothing tells the wrap from any other place.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from stonestack.core.picture import colour
from stonestack.core.picture.filters import bordered
from stonestack.core.picture.image import Floats, Picture
from stonestack.core.picture.measures.quantiles import median
from stonestack.core.runtime.parallel import over_bands, rows_worth
from stonestack.core.tile.ways import LEAST_SIDE

_SOFT_REACH = 4
_FLOOR = np.float32(1e-3)
"""A quarter of the smallest step that eight bits can hold."""
_SCALES = 5
_CAP = np.float32(4)
"""Most that one place counts in a column, in middling steps of its row."""
_AT_WRAP = (1, 4)
"""Half widths, in pixels, of the windows that look for a blur at the wrap itself."""
_BAND = 24
_BAND_SHARE = 1 / 24
_USUAL = 0.97
"""How far the least detail of one part of a picture lies below another's by chance."""
_NEAR = 0.2
"""Share of the side, each way from the wrap, in which a join may have been made."""


@dataclass(frozen=True)
class EdgeScore:
    """How one pair of edges meets.

    Parameters
    ----------
    step : float
        The step across the wrap against the most unusual step inside; 1 or more.
    detail : float
        Fine detail where a join may have been made against the least inside; 0 to 1.
    at_wrap : float
        The same at the wrap alone, in narrow windows; 0 to 1.
    """

    step: float
    detail: float
    at_wrap: float

    @property
    def value(self) -> float:
        """One number: above 1 a visible step, below 1 a blur; the worse of the two by ratio."""
        blur = min(self.detail, self.at_wrap)
        return self.step if self.step * blur >= 1 else blur


@dataclass(frozen=True)
class SeamScore:
    """Scores of both joins; 1 means that the edge cannot be told from its surroundings."""

    left_right: EdgeScore
    top_bottom: EdgeScore

    @property
    def x(self) -> float:
        """Left edge against right edge."""
        return self.left_right.value

    @property
    def y(self) -> float:
        """Top edge against bottom edge."""
        return self.top_bottom.value

    @property
    def detail(self) -> float:
        """The lesser detail of both bands."""
        return min(self.left_right.detail, self.top_bottom.detail)

    @property
    def worst(self) -> float:
        """The score farthest from 1, by ratio."""
        return max((self.x, self.y), key=lambda score: abs(math.log(max(score, 1e-3))))


def seam_score(picture: Picture) -> SeamScore:
    """Compare the wrap with the inside of a picture.

    Parameters
    ----------
    picture : Picture
        At least :data:`LEAST_SIDE` pixels each way.

    Notes
    -----
    A step counts by what its neighbours do not lead one to expect: the difference across it
    less the mean of the differences on both sides, so that a slope is no step. Columns are
    compared at five scales, each half as fine as the one before, since a soft step of tone
    shows in broad blocks only. Two means are taken over each column: a plain one, and one in
    which no place counts more than four times what is middling in its row, so that a faint line
    through everything stands out from joints that are strong but do not go all the way. The
    score is the ratio to the largest inside: joints and ribs step inside too.

    A blur shows as a want of detail. It is looked for at the wrap in narrow windows, and over
    the fifth of the picture on either side in windows as wide as a cross-fade, at several
    scales; the least local contrast there is held against the least elsewhere.
    """
    return seam_score_of(colour.seen(picture))


def seam_score_of(values: Floats) -> SeamScore:
    """Score values as the eye weighs them, float32, shape (height, width, channels)."""
    values = np.ascontiguousarray(values)
    turned = np.ascontiguousarray(values.transpose(1, 0, 2))
    return SeamScore(_edge(values), _edge(turned))


def _edge(values: Floats) -> EdgeScore:
    finest = _surprise(values)
    step = 1.0
    here, scale = finest, values
    for level in range(_SCALES):
        if level:
            if min(scale.shape[:2]) < 4 * LEAST_SIDE:
                break
            scale = _halved(scale)
            here = _surprise(scale)
        step = max(step, *(_against_largest(column) for column in _columns(here)))
    light = values.mean(axis=2, keepdims=True, dtype=np.float32)
    at_wrap = _at_wrap(finest.mean(axis=0) + _FLOOR)
    return EdgeScore(step, min(1.0, _band(light)), min(1.0, at_wrap))


def _surprise(values: Floats) -> Floats:
    from stonestack.core.tile.seam_kernels import surprise

    out = np.empty(values.shape[:2], np.float32)
    least = rows_worth(values[0].size)
    over_bands(lambda a, b: surprise(values, out, a, b), len(values), least)
    return out


def _columns(here: Floats) -> tuple[Floats, Floats]:
    """Return both means over the columns, the plain and the capped."""
    middling = median(here[:, :: max(1, here.shape[1] // 512)], axis=1) + _FLOOR
    return here.mean(axis=0) + _FLOOR, np.minimum(here / middling, _CAP).mean(axis=0) + _FLOOR


def _against_largest(column: Floats) -> float:
    # The steps beside the wrap are compared with it, so they know of it: leave them out.
    return float(column[-1] / max(column[1:-2].max(), 1e-6))


def _halved(values: Floats) -> Floats:
    """Return means of two by two; the middle is left out where a side is odd."""
    for axis in (0, 1):
        if values.shape[axis] % 2:
            values = np.delete(values, values.shape[axis] // 2, axis=axis)
    total = values[::2, ::2] + values[1::2, ::2] + values[::2, 1::2] + values[1::2, 1::2]
    return np.ascontiguousarray(total * np.float32(0.25))


def _windowed(column: Floats, half: int) -> tuple[Floats, Floats]:
    """Return means over windows on the ring, the wrap's own first in distance, and distances."""
    count = len(column)
    width = 2 * half - 1
    ring = np.concatenate([column[-half + 1 :], column, column[: half - 1]]) if half > 1 else column
    means = np.convolve(ring, np.full(width, 1 / width, np.float32), "valid")
    index = np.arange(count)
    away = np.minimum(index + 1, count - 1 - index)
    return means.astype(np.float32), away.astype(np.float32)


def _at_wrap(column: Floats) -> float:
    """Return the detail in narrow windows at the wrap against the least elsewhere."""
    least = 1.0
    for half in _AT_WRAP:
        means, away = _windowed(column, half)
        elsewhere = means[away > min(len(column) // 4, 3 * half)]
        least = min(least, float(means[-1] / elsewhere.min()))
    return least


def _band(light: Floats) -> float:
    """Return the least local contrast where a join may lie against the least in the middle.

    Contrast at every second scale: a cross-fade takes it from grain and from ornament alike,
    and ornament may hide in one what grain has lost in the other.
    """
    half = max(_BAND, round(light.shape[1] * _BAND_SHARE))
    least = 1.0
    while min(light.shape[:2]) >= 4 * LEAST_SIDE and half >= 3 and 8 * half <= light.shape[1]:
        for column in _columns(np.abs(light[..., 0] - _softened(light[..., 0]))):
            means, away = _windowed(column, half)
            near, middle = means[away <= len(means) * _NEAR], means[away > len(means) / 4]
            least = min(least, float(near.min() / middle.min()))
        light, half = _halved(_halved(light)), half // 4
    return least / _USUAL


def _softened(light: Floats) -> Floats:
    """Return a ring's values under a Gaussian of one pixel."""
    import cv2

    around = bordered(light, _SOFT_REACH, True)
    soft = cv2.GaussianBlur(around, (2 * _SOFT_REACH + 1,) * 2, 1.0)
    inner = slice(_SOFT_REACH, -_SOFT_REACH)
    return np.asarray(soft[inner, inner], dtype=np.float32)


def detail(picture: Picture) -> Floats:
    """Return how much fine detail each pixel has: the distance from its 3 x 3 mean.

    Returns
    -------
    ndarray, float32, shape (height, width)
        On the stored scale.
    """
    from scipy.ndimage import uniform_filter

    body = colour.seen(picture)
    smooth = uniform_filter(body, size=(3, 3, 1), mode="wrap" if picture.wraps else "nearest")
    result: Floats = np.abs(body - smooth).mean(axis=2).astype(np.float32)
    return result
