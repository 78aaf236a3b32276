"""Make a picture tile by turning it over: always seamless, and always seen to be a mirror."""

from __future__ import annotations

from typing import Literal

import numpy as np
from pydantic import Field

from stonestack.core.kinds.step import Geometry, Group, StepKind, StepParams, alone
from stonestack.core.picture.image import Floats, Picture, Space
from stonestack.core.tile.ways import AXES_WORDS, FAMILY, Axes, check_sides


class MirrorTile(StepParams):
    """Parameters of :func:`mirror_tile`."""

    kind: Literal["mirror_tile"] = "mirror_tile"
    axes: Axes = Field("both", title="Joins", description="Which edges are made to meet")
    start: float = Field(
        0.5,
        ge=0,
        le=1,
        multiple_of=0.01,
        title="Taken from",
        description="Which half of the picture is used: 0 its start, 1 its end",
    )


def solve(guide: Picture, _params: MirrorTile) -> None:
    """See that there are halves; they are given by the parameters alone."""
    check_sides(guide)


def lay(picture: Picture, _guide: Picture, _solution: None, params: MirrorTile) -> Picture:
    """Use half of each axis that is joined, and its mirror image for the other half.

    The size stays, less one pixel where a side is odd. Vectors are turned over as
    directions: what faces left in the original faces right in its image.
    """
    pixels = picture.pixels
    if params.axes != "y":
        pixels = _turned_over(pixels, params.start, 0 if picture.space is Space.VECTOR else None)
    if params.axes != "x":
        upright = np.ascontiguousarray(pixels.transpose(1, 0, 2))
        upright = _turned_over(upright, params.start, 1 if picture.space is Space.VECTOR else None)
        pixels = upright.transpose(1, 0, 2)
    return picture.with_pixels(pixels).tiling()


def _turned_over(pixels: Floats, start: float, component: int | None) -> Floats:
    half = pixels.shape[1] // 2
    first = round((pixels.shape[1] - half) * start)
    kept = pixels[:, first : first + half]
    image = kept[:, ::-1].copy()
    if component is not None:
        image[..., component] *= -1
    return np.concatenate([kept, image], axis=1)


GEOMETRY = Geometry(solve, lay)
mirror_tile = alone(GEOMETRY)

STEP = StepKind(
    name="mirror_tile",
    title="Mirror",
    hint="Turns half of the picture over; it will be seen to be mirror-symmetric",
    params=MirrorTile,
    version=1,
    apply=mirror_tile,
    spaces=frozenset(Space),
    group=Group.TILE,
    summary=lambda p: f"mirrored {AXES_WORDS[p.axes]}",
    geometry=GEOMETRY,
    family=FAMILY,
)
