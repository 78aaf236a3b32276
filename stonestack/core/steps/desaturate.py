"""Desaturate: colour becomes grey."""

from __future__ import annotations

from typing import Literal

import numpy as np
from pydantic import Field

from stonestack.core.kinds.step import Group, StepKind, StepParams
from stonestack.core.picture import colour
from stonestack.core.picture.image import Picture, Space


class Desaturate(StepParams):
    """Parameters of :func:`desaturate`."""

    kind: Literal["desaturate"] = "desaturate"
    by: Literal["eye", "mean", "lightest"] = Field(
        "eye", title="Grey by", description="What the eye sees, the channels' mean, or the lightest"
    )


def desaturate(picture: Picture, params: Desaturate) -> Picture:
    """Replace each colour by a grey: of equal luminance, or by the stored channels."""
    if params.by == "eye":
        grey = colour.luminance(picture.body)
    else:
        stored = colour.seen(picture)
        fold = np.mean if params.by == "mean" else np.max
        grey = colour.from_seen(np.asarray(fold(stored, axis=2, keepdims=True), np.float32))
    return picture.with_body(np.repeat(grey, 3, axis=2))


STEP = StepKind(
    name="desaturate",
    title="Desaturate",
    hint="Turns colour to grey",
    params=Desaturate,
    version=1,
    apply=desaturate,
    spaces=frozenset({Space.LINEAR}),
    group=Group.COLOUR,
    summary=lambda p: f"by {p.by}",
)
