"""Ambient occlusion: how much of its own sky each point of a relief sees."""

from __future__ import annotations

import math
from typing import Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from stonestack.core.kinds.step import Group, StepKind, StepParams
from stonestack.core.picture.filters import bordered, radius_of
from stonestack.core.picture.image import Floats, Picture, Space
from stonestack.core.runtime.parallel import over_bands, rows_worth
from stonestack.core.steps.derive.integrating import integrated
from stonestack.core.steps.derive.slopes import ReliefDepth, slopes_from, slopes_of
from stonestack.core.tables.roles import Role

_WAYS = 8
"""Lines through each point along which is looked, both ways."""
_STEPS = 1.2
_FADES = 0.7
"""Share of the radius from which on what stands there counts less and less."""
_LONGEST = 0.5
"""Of the shorter side: farther a ring is looked at twice."""


class Sky(StepParams):
    """How far is looked for what hides the sky; shared by what makes occlusion."""

    radius: float = Field(
        5.0,
        ge=0.2,
        le=50,
        multiple_of=0.1,
        title="Radius",
        description="How far what stands around counts, in hundredths of the width",
        json_schema_extra={"format": "of_width"},
    )
    contrast: float = Field(
        1.0,
        ge=0.1,
        le=4,
        multiple_of=0.05,
        title="Contrast",
        description="Above 1 is darker, below 1 is paler",
    )


class OcclusionFromHeight(ReliefDepth, Sky):
    """Parameters of :func:`occlusion_from_height`."""

    kind: Literal["occlusion_from_height"] = "occlusion_from_height"


def occlusion_from_height(picture: Picture, params: OcclusionFromHeight) -> Picture:
    """Return the share of its own sky that each point sees, as a matt surface weighs it.

    Parameters
    ----------
    picture : Picture
        Heights 0..1, as deep as ``params.relief`` says.
    """
    depth = np.float32(params.relief / 100 * picture.width)
    heights = np.ascontiguousarray(picture.body[..., 0] * depth)
    return _under_sky(heights, params, picture)


class OcclusionFromNormal(Sky):
    """Parameters of :func:`occlusion_from_normal`."""

    kind: Literal["occlusion_from_normal"] = "occlusion_from_normal"
    strength: float = Field(
        1.0, ge=0, le=5, multiple_of=0.05, title="Strength", description="Times as steep"
    )


def occlusion_from_normal(picture: Picture, params: OcclusionFromNormal) -> Picture:
    """Return what :func:`occlusion_from_height` does of the relief that normals stand on."""
    right, up = slopes_from(picture.body)
    heights = integrated(right, up, picture.wraps) * np.float32(params.strength)
    return _under_sky(heights, params, picture)


def _under_sky(heights: Floats, params: Sky, picture: Picture) -> Picture:
    seen = sky_seen(heights, radius_of(params.radius, picture), picture.wraps)
    if params.contrast != 1:
        seen = seen ** np.float32(params.contrast)
    return Picture(seen[..., np.newaxis].astype(np.float32), Space.DATA, wraps=picture.wraps)


def sky_seen(heights: Floats, radius: float, wraps: bool) -> Floats:
    """Return the share of its own sky that each point sees, weighted by the cosine.

    Along lines through each point the horizon is found both ways (N. Max, "Horizon mapping: shadows
    for bump-mapped surfaces", The Visual Computer 4 (1988)) and the light above it is added up in
    closed form (J. Jimenez, X. Wu, A. Pesce and A. Jarabo, "Practical Realtime Strategies for
    Accurate Indirect Occlusion", 2016, equations 7 and 10).

    Parameters
    ----------
    heights : ndarray, float32, shape (height, width)
        In texels.
    radius : float
        Texels.

    Returns
    -------
    ndarray, float32, shape (height, width)
        1 under an open sky.
    """
    from stonestack.core.steps.derive.relief_kernels import seen_of_sky

    rows, width = heights.shape
    radius = max(1.5, min(radius, _LONGEST * min(rows, width)))
    offsets, shares, ways = _looks(radius)
    rim = int(np.abs(offsets).max())
    around = bordered(heights[..., np.newaxis], rim, wraps)[..., 0]
    right, up = slopes_of(heights, "plain", wraps)
    out = np.empty_like(heights)

    def band(a: int, b: int) -> None:
        seen_of_sky(around, rim, a, offsets, shares, ways, right[a:b], up[a:b], out[a:b])

    over_bands(band, rows, rows_worth(width))
    return out


def _looks(radius: float) -> tuple[NDArray[np.int64], Floats, Floats]:
    """Return where is looked along each line, what that counts by distance, and the lines."""
    distances = [1.0]
    while distances[-1] < radius:
        distances.append(min(radius, max(distances[-1] + 1, distances[-1] * _STEPS)))
    turns = (np.arange(_WAYS) + 0.25) * math.pi / _WAYS
    ways = np.stack([np.cos(turns), np.sin(turns)], axis=1)
    far = np.asarray(distances)[:, np.newaxis] * ways[:, np.newaxis]
    # Rows run down, and the lines' second number up.
    places = np.rint(far * (1, -1)).astype(np.int64)
    offsets = np.stack([places, -places], axis=1)
    length = np.maximum(np.hypot(places[..., 0], places[..., 1]), 1)
    fade = np.clip((1 - length / (radius + 1)) / (1 - _FADES), 0, 1)
    shares = (fade / length).astype(np.float32)
    return offsets, shares, ways.astype(np.float32)


_WORDS = "within {0.radius:.1f} %"

FROM_HEIGHT = StepKind(
    name="occlusion_from_height",
    title="Occlusion from height",
    hint="What stands around hides a part of the sky",
    params=OcclusionFromHeight,
    version=1,
    apply=occlusion_from_height,
    spaces=frozenset({Space.DATA}),
    makes=frozenset({Role.OCCLUSION}),
    group=Group.MAKE,
    summary=_WORDS.format,
)
FROM_NORMAL = StepKind(
    name="occlusion_from_normal",
    title="Occlusion from normal",
    hint="The same, of the relief that normals stand on",
    params=OcclusionFromNormal,
    version=1,
    apply=occlusion_from_normal,
    spaces=frozenset({Space.VECTOR}),
    makes=frozenset({Role.OCCLUSION}),
    group=Group.MAKE,
    summary=_WORDS.format,
)
