"""Colour beneath what is clear: spread from what is solid, so that no rim shows."""

from __future__ import annotations

from dataclasses import replace
from typing import Literal

import numpy as np
from pydantic import Field

from stonestack.core.kinds.references import MapRef
from stonestack.core.kinds.step import Group, StepKind, StepParams
from stonestack.core.picture.image import Picture, Space
from stonestack.core.picture.resize import resize
from stonestack.core.picture.spread import spread


class SpreadBeneath(StepParams):
    """Parameters of :func:`spread_beneath`."""

    kind: Literal["spread_beneath"] = "spread_beneath"
    alpha: MapRef = Field(title="Alpha", description="What is solid; colour spreads from there")
    solid: float = Field(
        0.5,
        ge=0.01,
        le=1,
        multiple_of=0.01,
        title="Solid from",
        description="What is less solid gets the colour of what lies beside it",
    )


def spread_beneath(picture: Picture, params: SpreadBeneath, alpha: Picture) -> Picture:
    """Give clear texels the colour of the nearest solid ones; alpha of its own stays."""
    values = resize(alpha, picture.width, picture.height).body.mean(axis=2, keepdims=True)
    solid = (values >= params.solid).astype(np.float32)
    pixels = np.concatenate([picture.body, solid], axis=2).astype(np.float32)
    filled = spread(replace(picture, pixels=np.ascontiguousarray(pixels), alpha=True))
    return picture.with_body(np.ascontiguousarray(filled.body))


STEP = StepKind(
    name="spread_beneath",
    title="Spread colour beneath",
    hint="What alpha leaves clear gets the colour beside it",
    params=SpreadBeneath,
    version=1,
    apply=spread_beneath,
    spaces=frozenset({Space.LINEAR}),
    reads_of=frozenset({Space.DATA}),
    group=Group.FILL,
    summary=lambda p: f"solid from {p.solid:.2f}",
)
