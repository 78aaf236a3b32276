"""Cavity and curvature: where a relief is hollow, and where it has edges."""

from __future__ import annotations

from typing import Literal

import numpy as np
from pydantic import Field

from stonestack.core.kinds.step import Group, StepKind, StepParams
from stonestack.core.picture.filters import gaussian, radius_of
from stonestack.core.picture.image import Floats, Picture, Space
from stonestack.core.runtime.parallel import texelwise
from stonestack.core.steps.derive.lighting import slopes_across
from stonestack.core.steps.derive.slopes import ReliefDepth, slopes_from, slopes_of
from stonestack.core.tables.roles import Role


class Bend(StepParams):
    """How a relief's bend is shown; shared by what makes cavity maps."""

    show: Literal["hollows", "edges", "both"] = Field(
        "hollows",
        title="Shows",
        description="Hollows dark on white; edges white on black; both around the middle grey",
    )
    radius: float = Field(
        0.3,
        ge=0.05,
        le=10,
        multiple_of=0.05,
        title="Radius",
        description="Breadth of what is found, in hundredths of the width",
        json_schema_extra={"format": "of_width"},
    )
    contrast: float = Field(
        2.0, ge=0.1, le=20, multiple_of=0.1, title="Contrast", description="Times as strong"
    )


class CavityFromHeight(ReliefDepth, Bend):
    """Parameters of :func:`cavity_from_height`."""

    kind: Literal["cavity_from_height"] = "cavity_from_height"


def cavity_from_height(picture: Picture, params: CavityFromHeight) -> Picture:
    """Show where heights, as deep as ``params.relief`` says, are hollow or have edges."""
    depth = np.float32(params.relief / 100 * picture.width)
    heights = np.ascontiguousarray(picture.body[..., 0] * depth)
    return _shown(*slopes_of(heights, "plain", picture.wraps), params, picture)


class CavityFromNormal(Bend):
    """Parameters of :func:`cavity_from_normal`."""

    kind: Literal["cavity_from_normal"] = "cavity_from_normal"


def cavity_from_normal(picture: Picture, params: CavityFromNormal) -> Picture:
    """Show where the relief that normals stand on is hollow or has edges."""
    return _shown(*slopes_from(picture.body), params, picture)


def bend_of(right: Floats, up: Floats, radius: float, wraps: bool) -> Floats:
    """Return how much a relief bends over a radius: above 0 on edges, below in hollows.

    That is how far its slope changes over the radius: the divergence of the slopes under a
    Gaussian, twice the mean curvature where the relief is about level (M. do Carmo, "Differential
    Geometry of Curves and Surfaces", 1976, section 3.3), times the radius.

    Parameters
    ----------
    right, up : ndarray, float32, shape (height, width)
        Slopes, texels a texel.
    radius : float
        Standard deviation of the Gaussian, in texels.
    """
    soft = gaussian(np.stack([right, up], axis=2), radius, wraps)
    x, _ = slopes_across(np.ascontiguousarray(soft[..., 0]), wraps)
    _, y = slopes_across(np.ascontiguousarray(soft[..., 1]), wraps)
    return np.asarray((x + y) * np.float32(-max(radius, 0.5)), np.float32)


def _shown(right: Floats, up: Floats, params: Bend, picture: Picture) -> Picture:
    bend = bend_of(right, up, radius_of(params.radius, picture), picture.wraps)
    gain = np.float32(params.contrast)

    def show(rows: Floats) -> Floats:
        if params.show == "hollows":
            return np.asarray(1 - np.tanh(np.maximum(-rows * gain, 0)), np.float32)
        if params.show == "edges":
            return np.asarray(np.tanh(np.maximum(rows * gain, 0)), np.float32)
        return np.asarray(0.5 + 0.5 * np.tanh(rows * gain), np.float32)

    return Picture(texelwise(show, bend)[..., np.newaxis], Space.DATA, wraps=picture.wraps)


FROM_HEIGHT = StepKind(
    name="cavity_from_height",
    title="Cavity from height",
    hint="Hollows and edges of a relief",
    params=CavityFromHeight,
    version=1,
    apply=cavity_from_height,
    spaces=frozenset({Space.DATA}),
    makes=frozenset({Role.CAVITY}),
    group=Group.MAKE,
    summary=lambda p: f"{p.show}, ×{p.contrast:.1f}",
)
FROM_NORMAL = StepKind(
    name="cavity_from_normal",
    title="Cavity from normal",
    hint="Hollows and edges of what normals stand on",
    params=CavityFromNormal,
    version=1,
    apply=cavity_from_normal,
    spaces=frozenset({Space.VECTOR}),
    makes=frozenset({Role.CAVITY}),
    group=Group.MAKE,
    summary=lambda p: f"{p.show}, ×{p.contrast:.1f}",
)
