"""A part inside an outline of corners: a polygon, or one that was drawn by hand."""

from __future__ import annotations

from typing import Literal

import numpy as np
from pydantic import BaseModel, ConfigDict, Field

from stonestack.core.kinds.mask import MaskKind, MaskShape
from stonestack.core.picture.image import Floats
from stonestack.core.steps.masks.edges import signed_distance, within

_FINER = 4
"""Lines of a texel along which an outline is filled, both ways."""


class Corner(BaseModel):
    """A corner of an outline, in shares of the sides; on a tile it may lie beyond the edges."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    x: float = Field(ge=-1, le=2)
    y: float = Field(ge=-1, le=2)


class Outline(MaskShape):
    """Parameters of :func:`draw`."""

    kind: Literal["outline"] = "outline"
    corners: tuple[Corner, ...] = Field(
        (Corner(x=0.3, y=0.3), Corner(x=0.7, y=0.3), Corner(x=0.5, y=0.7)),
        min_length=3,
        max_length=512,
        title="Corners",
        description="Moved in the flat view; a drawn outline has many",
        json_schema_extra={"format": "corners"},
    )
    soft: float = Field(
        0.0,
        ge=0,
        le=0.5,
        multiple_of=0.001,
        title="Soft edge",
        description="Width of the edge, a share of the shorter side",
    )


def draw(params: Outline, width: int, height: int, wraps: bool) -> Floats:
    """Fill the outline; what lies in it an odd number of times is in."""
    filled = _filled(params, width, height, wraps)
    reach = params.soft * min(width, height)
    if reach <= 1:
        return filled
    return within(signed_distance(filled, reach, wraps), reach)


def _filled(params: Outline, width: int, height: int, wraps: bool) -> Floats:
    """Return the share of each texel inside, from lines of finer texels."""
    import cv2

    bits = 4
    scale = np.array([width * _FINER, height * _FINER], np.float64)
    corners = np.array([[c.x, c.y] for c in params.corners]) * scale - 0.5
    fine = np.zeros((height * _FINER, width * _FINER), np.uint8)
    low, high = corners.min(axis=0), corners.max(axis=0)
    shifts = [
        range(int(-np.ceil(b / s)), int(np.ceil(1 - a / s)) + 1) if wraps else range(1)
        for a, b, s in zip(low, high, scale, strict=True)
    ]
    for across in shifts[0]:
        for down in shifts[1]:
            moved = corners + np.array([across, down]) * scale
            layer = np.zeros_like(fine)
            cv2.fillPoly(layer, [np.rint(moved * (1 << bits)).astype(np.int32)], 1, shift=bits)
            np.maximum(fine, layer, out=fine)
    return np.asarray(
        fine.reshape(height, _FINER, width, _FINER).mean(axis=(1, 3)), dtype=np.float32
    )


MASK = MaskKind(
    name="outline",
    title="Outline",
    hint="A part inside corners that you set, or a line that you draw",
    params=Outline,
    version=1,
    draw=draw,
    edged=True,
)
