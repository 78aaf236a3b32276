"""A map out of a mask: where it is solid, where a layer lies, where it is metal."""

from __future__ import annotations

from typing import Literal

import numpy as np
from pydantic import Field

from stonestack.core.kinds.references import MaskRef
from stonestack.core.kinds.step import Group, StepKind, StepParams
from stonestack.core.picture.image import Picture, Space
from stonestack.core.tables.roles import Role


class ValuesOfMask(StepParams):
    """Parameters of :func:`values_of_mask`."""

    kind: Literal["values_of_mask"] = "values_of_mask"
    mask: MaskRef = Field(title="Mask", description="Of this surface")
    inside: float = Field(
        1.0, ge=0, le=1, multiple_of=0.01, title="Inside", description="The map's value there"
    )
    outside: float = Field(
        0.0, ge=0, le=1, multiple_of=0.01, title="Outside", description="The map's value there"
    )


def values_of_mask(picture: Picture, params: ValuesOfMask, mask: Picture) -> Picture:
    """Return a mask as plain numbers, of the size and with the edges of the map that it lies on."""
    span = np.float32(params.inside - params.outside)
    values = np.clip(mask.body[..., :1] * span + np.float32(params.outside), 0, 1)
    return Picture(np.ascontiguousarray(values, np.float32), Space.DATA, wraps=picture.wraps)


STEP = StepKind(
    name="values_of_mask",
    title="Of a mask",
    hint="The map is a mask of the surface",
    params=ValuesOfMask,
    version=1,
    apply=values_of_mask,
    spaces=frozenset({Space.LINEAR, Space.DATA, Space.VECTOR}),
    makes=frozenset(role for role in Role if role.info.space is Space.DATA),
    group=Group.MAKE,
    summary=lambda p: f"{p.inside:.2f} and {p.outside:.2f}",
)
