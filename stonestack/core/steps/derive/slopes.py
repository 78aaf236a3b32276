"""Slopes of a relief, and normals: there and back.

Heights are in texels here, and slopes in texels a texel: to the right, and up against the rows.
"""

from __future__ import annotations

from functools import cache
from typing import Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from stonestack.core.kinds.step import StepParams
from stonestack.core.picture.filters import bordered
from stonestack.core.picture.image import Floats
from stonestack.core.picture.texels import normalised
from stonestack.core.runtime.parallel import over_bands, rows_worth, texelwise

Kernel = Literal["fine", "plain", "soft"]
_TAPS = 9
_RIGHT_UP_TO = 0.8
"""Of the finest wave there is: up to there the fine kernel's slopes are right."""
_LEAST_Z = np.float32(0.02)
"""Steeper than one in fifty a texel's normal does not tell its slope."""
_STEEP = 90
"""Of a hundred texels so many are less steep than what is called the steepness."""
_SOFT = np.array([3, 10, 3], np.float32) / 16


class ReliefDepth(StepParams):
    """How deep a height map is meant; shared by what is made of it."""

    relief: float = Field(
        1.0,
        ge=0,
        le=20,
        multiple_of=0.1,
        title="Relief",
        description="Depth from lowest to highest point, in hundredths of the tile's width",
        json_schema_extra={"format": "of_width"},
    )


class SlopeParams(ReliefDepth):
    """How heights become slopes; shared by what makes normals."""

    by: Literal["depth", "steepness"] = Field(
        "depth",
        title="Strength by",
        description="How deep the heights are, or how steep their steeper parts come out",
    )
    steepness: float = Field(
        20.0,
        ge=0,
        le=75,
        multiple_of=0.5,
        title="Steepness",
        description="Degrees; one texel in ten is steeper",
    )
    kernel: Kernel = Field(
        "fine",
        title="Slopes by",
        description="Fine keeps the smallest detail; plain looks at two texels; soft smooths",
    )


def slopes_of(heights: Floats, kernel: Kernel, wraps: bool) -> tuple[Floats, Floats]:
    """Return the slopes of a relief to the right and up.

    The fine kernel is the odd one of nineteen texels whose answer to each wave comes nearest to
    that of the true derivative (H. Farid and E. Simoncelli, "Differentiation of Discrete
    Multidimensional Signals", IEEE Trans. Image Processing 13 (2004), section II, here for one axis
    alone, so that nothing is smoothed across). Plain is the difference of the two neighbours: a
    wave of four texels loses a third. Soft is that smoothed across by 3, 10, 3 (H. Scharr, "Optimal
    Filters for Extended Optical Flow", 2007).

    Parameters
    ----------
    heights : ndarray, float32, shape (height, width)
        In texels.
    wraps : bool
        Whether they go on over the edges; else they are carried on straight.
    """
    from stonestack.core.steps.derive.relief_kernels import slope_along, slope_down

    weights = _fine_weights() if kernel == "fine" else np.array([0.5], np.float32)
    reach = len(weights)
    around = _around(heights, reach, wraps)
    rows, width = heights.shape
    beside = np.ascontiguousarray(around[reach:-reach])
    over = np.ascontiguousarray(around[:, reach:-reach])
    right, down = np.empty_like(heights), np.empty_like(heights)
    least = rows_worth(width)
    over_bands(lambda a, b: slope_along(beside[a:b], weights, right[a:b]), rows, least)
    over_bands(lambda a, b: slope_down(over[a : b + 2 * reach], weights, down[a:b]), rows, least)
    if kernel == "soft":
        right, down = _smoothed(right, 0, wraps), _smoothed(down, 1, wraps)
    return right, -down


def deeper(params: SlopeParams, heights: Floats, wraps: bool) -> tuple[Floats, Floats]:
    """Return the slopes of heights 0..1 as deep, or as steep, as parameters say.

    Parameters
    ----------
    heights : ndarray, float32, shape (height, width)
        0..1 for the depth that ``params.relief`` says.
    """
    if params.by == "depth":
        depth = np.float32(params.relief / 100 * heights.shape[1])
        return slopes_of(heights * depth, params.kernel, wraps)
    right, up = slopes_of(heights, params.kernel, wraps)
    steep = float(np.percentile(np.hypot(right, up), _STEEP))
    if steep < 1e-9:
        return right, up
    scale = np.float32(np.tan(np.radians(params.steepness)) / steep)
    return right * scale, up * scale


def normals_of(right: Floats, up: Floats) -> Floats:
    """Return unit vectors that stand on slopes, shape (height, width, 3): x right, y up, z out."""

    def vectors(p: Floats, q: Floats) -> Floats:
        return normalised(np.stack([-p, -q, np.ones_like(p)], axis=2))

    return texelwise(vectors, right, up)


def slopes_from(normals: Floats) -> tuple[Floats, Floats]:
    """Return the slopes that unit vectors stand on; at most fifty texels a texel."""
    z = np.maximum(normals[..., 2], _LEAST_Z)
    return (
        np.asarray(-normals[..., 0] / z, np.float32),
        np.asarray(-normals[..., 1] / z, np.float32),
    )


@cache
def _fine_weights() -> Floats:
    waves = np.linspace(0.01, _RIGHT_UP_TO * np.pi, 400)
    answers = 2 * np.sin(np.outer(waves, np.arange(1, _TAPS + 1))) / waves[:, np.newaxis]
    found, *_ = np.linalg.lstsq(answers, np.ones(len(waves)), rcond=None)
    # A ramp has its own slope exactly.
    found /= 2 * float(found @ np.arange(1, _TAPS + 1))
    return np.asarray(found, np.float32)


def _around(heights: Floats, reach: int, wraps: bool) -> Floats:
    """Return heights with so many texels more on every side."""
    if wraps:
        return bordered(heights[..., np.newaxis], reach, True)[..., 0]
    # Turned about its own end, a rim goes on as steep as it was.
    out: NDArray[np.float32] = np.pad(heights, reach, mode="reflect", reflect_type="odd")
    return np.asarray(out, np.float32)


def _smoothed(values: Floats, axis: int, wraps: bool) -> Floats:
    pad = [(0, 0), (0, 0)]
    pad[axis] = (1, 1)
    around = np.pad(values, pad, mode="wrap" if wraps else "edge")
    count = values.shape[axis]
    parts = [np.take(around, range(k, k + count), axis=axis) * _SOFT[k] for k in range(3)]
    return np.asarray(parts[0] + parts[1] + parts[2], np.float32)
