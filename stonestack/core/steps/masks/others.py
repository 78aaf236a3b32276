"""Masks made of another mask: itself, or its border."""

from __future__ import annotations

from typing import Literal

import numpy as np
from pydantic import Field

from stonestack.core.kinds.mask import MaskKind, MaskShape
from stonestack.core.kinds.references import MaskRef
from stonestack.core.picture.image import Floats, Picture
from stonestack.core.steps.masks.edges import signed_distance, within


class Another(MaskShape):
    """Parameters of :func:`another`."""

    kind: Literal["another"] = "another"
    mask: MaskRef = Field(title="Mask", description="Of this surface")


def another(_params: Another, _width: int, _height: int, _wraps: bool, other: Picture) -> Floats:
    """Return another mask, to be added, taken away or met."""
    return np.ascontiguousarray(other.body[..., 0])


class Border(MaskShape):
    """Parameters of :func:`border`."""

    kind: Literal["border"] = "border"
    mask: MaskRef = Field(title="Mask", description="Of this surface")
    width: float = Field(
        2.0, ge=0.05, le=50, multiple_of=0.05, title="Width", description="Per cent of the width"
    )
    side: Literal["middle", "inside", "outside"] = Field(
        "middle", title="Lies", description="On the edge, inside of it, or outside"
    )
    soft: float = Field(
        0.0, ge=0, le=10, multiple_of=0.05, title="Soft edge", description="Per cent of the width"
    )


def border(params: Border, width: int, _height: int, wraps: bool, other: Picture) -> Floats:
    """Draw a band along another mask's edge."""
    thick, reach = params.width / 100 * width, params.soft / 100 * width
    apart = signed_distance(np.ascontiguousarray(other.body[..., 0]), thick + reach + 2, wraps)
    shift = {"middle": 0.0, "inside": -thick / 2, "outside": thick / 2}[params.side]
    return within(thick / 2 - np.abs(apart + np.float32(shift)), reach)


ANOTHER = MaskKind(
    name="another",
    title="Another mask",
    hint="As it is; to be added to, taken from or met",
    params=Another,
    version=1,
    draw=another,
)
BORDER = MaskKind(
    name="border",
    title="Border",
    hint="A band along another mask's edge",
    params=Border,
    version=1,
    draw=border,
)
