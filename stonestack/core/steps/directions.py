"""Directions: steeper or flatter, turned round, and fine relief laid over them."""

from __future__ import annotations

import math
from typing import Literal

import numpy as np
from pydantic import Field

from stonestack.core.kinds.references import MapRef, SourceRef
from stonestack.core.kinds.step import Group, StepKind, StepParams
from stonestack.core.picture import colour
from stonestack.core.picture.image import Floats, Picture, Space
from stonestack.core.picture.resize import resample, resize
from stonestack.core.picture.texels import normalised
from stonestack.core.runtime.parallel import texelwise
from stonestack.core.steps.derive.slopes import normals_of, slopes_of

_VECTOR = frozenset({Space.VECTOR})


class Steeper(StepParams):
    """Parameters of :func:`steeper`."""

    kind: Literal["steeper"] = "steeper"
    strength: float = Field(
        1.0,
        ge=0,
        le=8,
        multiple_of=0.05,
        title="Strength",
        description="Times as steep; at 1 vectors only get unit length",
    )
    flip_x: bool = Field(False, title="Turn left and right", description="Red the other way")
    flip_y: bool = Field(False, title="Turn up and down", description="Green the other way")


def steeper(picture: Picture, params: Steeper) -> Picture:
    """Scale the slopes of vectors, turn them round, and bring them to unit length."""
    x = np.float32(-params.strength if params.flip_x else params.strength)
    y = np.float32(-params.strength if params.flip_y else params.strength)
    scale = np.array([x, y, 1], np.float32)
    return picture.with_body(texelwise(lambda rows: normalised(rows * scale), picture.body))


class DetailNormal(StepParams):
    """Parameters of :func:`detail_normal`."""

    kind: Literal["detail_normal"] = "detail_normal"
    picture: SourceRef = Field(title="Normals", description="A normal map, with green up")
    repeats: int = Field(4, ge=1, le=32, title="Repeats", description="Times over each side")
    strength: float = Field(
        1.0, ge=0, le=4, multiple_of=0.05, title="Strength", description="Times as steep"
    )
    green_down: bool = Field(False, title="Its green points down", description="It is turned round")


def detail_normal(picture: Picture, params: DetailNormal, detail: Picture) -> Picture:
    """Lay fine normals on these, each turned as the face that it comes to is turned."""
    stored = colour.to_srgb(detail.body) * 2 - 1
    if params.green_down:
        stored = stored * np.array([1, -1, 1], np.float32)
    size, repeats = (picture.width, picture.height), (params.repeats, params.repeats)
    # As large as one repeat comes out, it is laid with a few texels each.
    rows, columns = (
        min(have, math.ceil(side / params.repeats))
        for have, side in zip(stored.shape[:2], size[::-1], strict=True)
    )
    small = resample(np.ascontiguousarray(stored), columns, rows, "lanczos", True)
    fine = resample(small, *size, "lanczos", True, repeats)
    scale = np.array([params.strength, params.strength, 1], np.float32)

    def laid(base: Floats, over: Floats) -> Floats:
        return reoriented(base, normalised(over * scale))

    return picture.with_body(texelwise(laid, picture.body, fine))


class ReliefOver(StepParams):
    """Parameters of :func:`relief_over`."""

    kind: Literal["relief_over"] = "relief_over"
    map: MapRef = Field(title="Heights", description="A map of numbers; light stands out")
    relief: float = Field(
        0.5,
        ge=0,
        le=20,
        multiple_of=0.05,
        title="Relief",
        description="Depth from lowest to highest point, in hundredths of the tile's width",
    )


def relief_over(picture: Picture, params: ReliefOver, heights: Picture) -> Picture:
    """Lay the relief of a height map on normals."""
    fitted = resize(heights, picture.width, picture.height).body.mean(axis=2, dtype=np.float32)
    depth = np.float32(params.relief / 100 * picture.width)
    over = normals_of(*slopes_of(np.ascontiguousarray(fitted * depth), "fine", picture.wraps))
    return picture.with_body(texelwise(reoriented, picture.body, over))


def reoriented(base: Floats, over: Floats) -> Floats:
    """Return fine normals turned by what turns straight up into the base's own.

    Source: C. Barré-Brisebois and S. Hill, "Blending in Detail", 2012, the reoriented way: a
    rotation by the shortest arc, as a quaternion.

    Parameters
    ----------
    base, over : ndarray, float32, shape (height, width, 3)
        Unit vectors, z out.
    """
    t = base + np.array([0, 0, 1], np.float32)
    u = over * np.array([-1, -1, 1], np.float32)
    along = (t * u).sum(axis=2, keepdims=True)
    return normalised(t * along - u * t[..., 2:])


STEEPER = StepKind(
    name="steeper",
    title="Steeper or flatter",
    hint="Scales slopes, turns them round, and mends their length",
    params=Steeper,
    version=1,
    apply=steeper,
    spaces=_VECTOR,
    group=Group.DETAIL,
    summary=lambda p: f"×{p.strength:.2f}",
)
DETAIL = StepKind(
    name="detail_normal",
    title="Detail normals",
    hint="Fine normals, repeated, on these",
    params=DetailNormal,
    version=2,
    apply=detail_normal,
    spaces=_VECTOR,
    group=Group.LAY,
    summary=lambda p: f"{p.repeats} × {p.repeats}",
)
RELIEF = StepKind(
    name="relief_over",
    title="Relief over",
    hint="The relief of a height map on these",
    params=ReliefOver,
    version=1,
    apply=relief_over,
    spaces=_VECTOR,
    reads_of=frozenset({Space.DATA}),
    group=Group.LAY,
    summary=lambda p: f"relief {p.relief:.1f} %",
)
