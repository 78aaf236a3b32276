"""Curves: any even bend of tones, through points that are set.

Source: F. Fritsch and R. Carlson, "Monotone Piecewise Cubic Interpolation", SIAM J. Numerical
Analysis 17 (1980): between two points it never goes beyond them.
"""

from __future__ import annotations

import itertools
from typing import Literal

import numpy as np
from pydantic import BaseModel, ConfigDict, Field, field_validator

from stonestack.core.kinds.step import Group, StepKind, StepParams
from stonestack.core.picture import colour
from stonestack.core.picture.image import Floats, Picture, Space

_STEPS = 4096


class Point(BaseModel):
    """What one tone becomes; both 0..1."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    x: float = Field(ge=0, le=1)
    y: float = Field(ge=0, le=1)


class Curves(StepParams):
    """Parameters of :func:`curves`; on the stored (sRGB) scale for colour."""

    kind: Literal["curves"] = "curves"
    points: tuple[Point, ...] = Field(
        (Point(x=0, y=0), Point(x=1, y=1)),
        min_length=2,
        max_length=16,
        title="Curve",
        description="What a tone becomes: from left to right as it is, upwards as it will be",
        json_schema_extra={"format": "curve"},
    )
    channel: Literal["all", "red", "green", "blue"] = Field(
        "all", title="Channel", description="Of plain numbers there is one"
    )

    @field_validator("points")
    @classmethod
    def _in_order(cls, points: tuple[Point, ...]) -> tuple[Point, ...]:
        if any(b.x - a.x < 1e-4 for a, b in itertools.pairwise(points)):
            raise ValueError("Each point of a curve lies right of the one before.")
        return points


def through(points: tuple[Point, ...]) -> Floats:
    """Return the curve through points as a table at even steps from 0 to 1; level beyond them."""
    from scipy.interpolate import PchipInterpolator

    across, up = (np.array([getattr(p, axis) for p in points]) for axis in ("x", "y"))
    at = np.clip(np.linspace(0, 1, _STEPS + 1), across[0], across[-1])
    return np.clip(PchipInterpolator(across, up)(at), 0, 1).astype(np.float32)


def curves(picture: Picture, params: Curves) -> Picture:
    """Send the tones of a picture, or of one channel, through a curve."""
    ends = (params.points[0].x, params.points[-1].x)
    if ends == (0, 1) and all(point.x == point.y for point in params.points):
        return picture
    table = through(params.points)
    body = picture.body
    if params.channel == "all" or body.shape[2] != 3:
        return picture.with_body(colour.bent(picture, table))
    place = ("red", "green", "blue").index(params.channel)
    only = np.ascontiguousarray(body[..., place : place + 1])
    out = body.copy()
    out[..., place : place + 1] = colour.bent(picture.with_pixels(only), table)
    return picture.with_body(out)


STEP = StepKind(
    name="curves",
    title="Curves",
    hint="Bends tones along a curve that you draw",
    params=Curves,
    version=2,
    apply=curves,
    spaces=frozenset({Space.LINEAR, Space.DATA}),
    group=Group.TONE,
    summary=lambda p: f"{len(p.points)} points",
)
