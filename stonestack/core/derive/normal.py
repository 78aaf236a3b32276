"""Normals from height: the slope of the relief, as unit vectors."""

from __future__ import annotations

from typing import Literal

import numpy as np
from pydantic import Field

from stonestack.core.image import Floats, Picture, Space
from stonestack.core.roles import Role
from stonestack.core.stepkind import Group, StepKind, StepParams
from stonestack.core.texels import normalised


class NormalFromHeight(StepParams):
    """Parameters of :func:`normal_from_height`."""

    kind: Literal["normal_from_height"] = "normal_from_height"
    relief: float = Field(
        1.0,
        ge=0,
        le=20,
        multiple_of=0.1,
        title="Relief",
        description="Depth from lowest to highest point, in hundredths of the tile's width",
    )


def normal_from_height(picture: Picture, params: NormalFromHeight) -> Picture:
    """Turn height into tangent-space normals, green up.

    The slope is the change of depth over the change of place, both as shares of the tile's
    width, so the same relief gives the same normals at every resolution. Derivatives are
    central differences; over the edge they follow the wrap, or are one-sided.

    Parameters
    ----------
    picture : Picture
        Height, data 0..1, shape (height, width, 1); pixels are square.

    Returns
    -------
    Picture
        Unit vectors, shape (height, width, 3): x right, y up (against the rows), z out.
    """
    depth = np.float32(params.relief / 100 * picture.width)
    height = picture.body[..., 0] * depth
    along = _central(height, 1, picture.wraps)
    down = _central(height, 0, picture.wraps)
    vectors = np.stack([-along, down, np.ones_like(height)], axis=2)
    return Picture(normalised(vectors), Space.VECTOR, wraps=picture.wraps)


def _central(values: Floats, axis: int, wraps: bool) -> Floats:
    if wraps:
        ahead = np.roll(values, -1, axis=axis)
        behind = np.roll(values, 1, axis=axis)
        return ((ahead - behind) * np.float32(0.5)).astype(np.float32)
    if values.shape[axis] < 2:
        return np.zeros_like(values)
    return np.asarray(np.gradient(values, axis=axis), dtype=np.float32)


STEP = StepKind(
    name="normal_from_height",
    title="Normal from height",
    hint="Turns relief into directions",
    params=NormalFromHeight,
    version=1,
    apply=normal_from_height,
    spaces=frozenset({Space.DATA}),
    makes=frozenset({Role.NORMAL}),
    group=Group.MAKE,
    summary=lambda p: f"relief {p.relief:.1f} %",
)
