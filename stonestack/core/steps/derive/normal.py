"""Normals: of heights, of a colour in one go, and back to heights."""

from __future__ import annotations

from typing import Literal

import numpy as np
from pydantic import Field

from stonestack.core.kinds.step import Group, StepKind, StepParams
from stonestack.core.picture.image import Floats, Picture, Space
from stonestack.core.steps.derive.height import (
    HeightFromColour,
    ReliefFromColour,
    height_from_colour,
)
from stonestack.core.steps.derive.integrating import integrated
from stonestack.core.steps.derive.slopes import SlopeParams, deeper, normals_of, slopes_from
from stonestack.core.tables.roles import Role

_FLAT = 1e-6


class NormalFromHeight(SlopeParams):
    """Parameters of :func:`normal_from_height`."""

    kind: Literal["normal_from_height"] = "normal_from_height"


def normal_from_height(picture: Picture, params: NormalFromHeight) -> Picture:
    """Turn height into tangent-space normals, green up.

    The slope is the change of depth over the change of place, both as shares of the tile's
    width, so the same relief gives the same normals at every resolution.

    Parameters
    ----------
    picture : Picture
        Height, data 0..1, shape (height, width, 1); pixels are square.

    Returns
    -------
    Picture
        Unit vectors, shape (height, width, 3): x right, y up (against the rows), z out.
    """
    return _standing_on(picture.body[..., 0], params, picture.wraps)


class NormalsOfColour(ReliefFromColour, SlopeParams):
    """How normals are read from a colour."""


class NormalFromColour(NormalsOfColour):
    """Parameters of :func:`normal_from_colour`."""

    kind: Literal["normal_from_colour"] = "normal_from_colour"


def normal_from_colour(picture: Picture, params: NormalsOfColour) -> Picture:
    """Read a relief from a colour and turn it into normals in one go.

    The same as a height from the colour, and normals of that, with nothing rounded between.
    """
    fields = {name: getattr(params, name) for name in ReliefFromColour.model_fields}
    height = height_from_colour(picture, HeightFromColour(**fields))
    return _standing_on(height.body[..., 0], params, picture.wraps)


def _standing_on(heights: Floats, params: SlopeParams, wraps: bool) -> Picture:
    right, up = deeper(params, np.ascontiguousarray(heights), wraps)
    return Picture(normals_of(right, up), Space.VECTOR, wraps=wraps)


class HeightFromNormal(StepParams):
    """Parameters of :func:`height_from_normal`."""

    kind: Literal["height_from_normal"] = "height_from_normal"
    relief: float = Field(
        0.0,
        ge=0,
        le=50,
        multiple_of=0.1,
        title="Relief",
        description="Hundredths of the width that 0 to 1 stand for; 0 takes what there is",
    )


def height_from_normal(picture: Picture, params: HeightFromNormal) -> Picture:
    """Return the heights, 0..1, whose slopes come nearest to those of normals.

    Parameters
    ----------
    picture : Picture
        Unit vectors, y up.
    """
    right, up = slopes_from(picture.body)
    heights = integrated(right, up, picture.wraps)
    low, high = float(heights.min()), float(heights.max())
    if high - low < _FLAT * picture.width:
        return Picture(
            np.full((*heights.shape, 1), 0.5, np.float32), Space.DATA, wraps=picture.wraps
        )
    span = params.relief / 100 * picture.width if params.relief else high - low
    values = np.clip((heights - np.float32((low + high) / 2)) / np.float32(span) + 0.5, 0, 1)
    return Picture(values[..., np.newaxis].astype(np.float32), Space.DATA, wraps=picture.wraps)


STEP = StepKind(
    name="normal_from_height",
    title="Normal from height",
    hint="Turns relief into directions",
    params=NormalFromHeight,
    version=2,
    apply=normal_from_height,
    spaces=frozenset({Space.DATA}),
    makes=frozenset({Role.NORMAL}),
    group=Group.MAKE,
    summary=lambda p: _strength(p),
)
FROM_COLOUR = StepKind(
    name="normal_from_colour",
    title="Normal from colour",
    hint="Reads relief from light and shade, and turns it into directions",
    params=NormalFromColour,
    version=1,
    apply=normal_from_colour,
    spaces=frozenset({Space.LINEAR}),
    makes=frozenset({Role.NORMAL}),
    group=Group.MAKE,
    summary=lambda p: _strength(p),
)
TO_HEIGHT = StepKind(
    name="height_from_normal",
    title="Height from normal",
    hint="The relief that normals stand on",
    params=HeightFromNormal,
    version=1,
    apply=height_from_normal,
    spaces=frozenset({Space.VECTOR}),
    makes=frozenset({Role.HEIGHT}),
    group=Group.MAKE,
    summary=lambda p: f"relief {p.relief:.1f} %" if p.relief else "as deep as it is",
)


def _strength(params: SlopeParams) -> str:
    if params.by == "depth":
        return f"relief {params.relief:.1f} %"
    return f"{params.steepness:.0f}° steep"
